//! Places and weather on a real SQLite file.

use crate::bench::{TempBench, garden};
use flindo_core::energy::epw::Weather;
use flindo_core::sky::place::Ground;
use flindo_store::{PlaceDraft, StoreError};

#[tokio::test]
async fn a_place_comes_back_as_it_went_in_and_the_newest_is_in_use() {
    let bench = TempBench::new().await;
    assert_eq!(bench.store.current_place().await.unwrap(), None);
    let first = bench.store.add_place(&garden("Workshop")).await.unwrap();
    assert_eq!(bench.store.place(first).await.unwrap().draft, garden("Workshop"));
    let second = bench.store.add_place(&garden("Lower well")).await.unwrap();
    assert_eq!(bench.store.current_place().await.unwrap().unwrap().id, second);
    bench.store.use_place(first).await.unwrap();
    assert_eq!(bench.store.current_place().await.unwrap().unwrap().id, first);
    bench.store.change_place(second, &PlaceDraft { ground: Ground::Sand, ..garden("Lower well") }).await.unwrap();
    assert_eq!(bench.store.place(second).await.unwrap().draft.ground, Ground::Sand);
}

#[tokio::test]
async fn a_name_is_given_once_and_what_is_not_there_is_said() {
    let bench = TempBench::new().await;
    let id = bench.store.add_place(&garden("Workshop")).await.unwrap();
    assert!(matches!(bench.store.add_place(&garden("workshop")).await, Err(StoreError::Conflict(_))));
    assert!(matches!(bench.store.use_place(id + 9).await, Err(StoreError::NotFound("place"))));
    assert!(matches!(bench.store.change_place(id + 9, &garden("x")).await, Err(StoreError::NotFound("place"))));
    assert!(matches!(bench.store.weather_file(1).await, Err(StoreError::NotFound("weather"))));
}

#[tokio::test]
async fn the_same_weather_file_is_there_once() {
    let bench = TempBench::new().await;
    let weather =
        Weather { name: "Garden".into(), place: garden("x").place, utc_offset_h: 0.0, hours: Vec::new(), air_c: Vec::new() };
    let first = bench.store.add_weather(&weather, "a file").await.unwrap();
    assert_eq!(bench.store.add_weather(&weather, "a file").await.unwrap(), first);
    assert_ne!(bench.store.add_weather(&weather, "another").await.unwrap(), first);
    assert_eq!(
        (bench.store.weathers().await.unwrap().len(), bench.store.weather_file(first).await.unwrap().as_str()),
        (2, "a file")
    );
}
