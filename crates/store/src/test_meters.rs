//! Which meter of the bench read what in a test. Rows are only added: of each quantity the newest counts.

use crate::checksum::{self, Checksum};
use crate::error::StoreError;
use flindo_core::record::meters::{MeterUse, Reads};
use flindo_core::rig::MeterPosition;
use sqlx::SqliteConnection;

/// A row: its identity, what it reads, where, the meter's identity or none, its calibration, the checksum.
type Row = (String, String, String, Option<String>, String, i64);

/// The newest rows of each quantity, as the statement that reads a test puts them together.
pub(crate) fn read(rows: &str) -> Result<Vec<MeterUse>, StoreError> {
    let corrupt = |what: &str| StoreError::Corrupt(format!("a meter of a test: {what}"));
    let rows: Vec<Row> = serde_json::from_str(rows).map_err(|error| corrupt(&error.to_string()))?;
    let mut meters = Vec::new();
    for (uid, reads, place, meter, calibrated, sum) in rows {
        let found = sum_of(&uid, &reads, &place, meter.as_deref(), &calibrated);
        checksum::check(Some(sum), || found, || format!("a meter ({reads}) of a test"))?;
        let reads = Reads::from_name(&reads).ok_or_else(|| corrupt(&reads))?;
        // Without a record: what replaced a meter that was named before.
        if let Some(meter) = meter {
            meters.push(MeterUse { reads, place: MeterPosition::from_name(&place), meter, calibrated });
        }
    }
    meters.sort_by_key(|one| one.reads);
    Ok(meters)
}

/// Adds what differs from what stands: another meter, or none.
pub(crate) async fn change(connection: &mut SqliteConnection, test_id: i64, meters: &[MeterUse]) -> Result<(), StoreError> {
    for reads in Reads::ALL {
        let wanted = meters.iter().find(|meter| meter.reads == *reads);
        let sql = "SELECT (SELECT uid FROM gear WHERE id = gear_id), place, calibrated FROM test_meters \
                   WHERE test_id = ? AND reads = ? ORDER BY uid DESC LIMIT 1";
        let stands: Option<(Option<String>, String, String)> =
            sqlx::query_as(sql).bind(test_id).bind(reads.name()).fetch_optional(&mut *connection).await?;
        let place = wanted.and_then(|meter| meter.place).map_or("", MeterPosition::name);
        let (meter, calibrated) = wanted.map_or((None, ""), |one| (Some(one.meter.as_str()), one.calibrated.as_str()));
        let is_so = match &stands {
            None => meter.is_none(),
            Some((there, at, day)) => there.as_deref() == meter && at == place && day == calibrated,
        };
        if is_so {
            continue;
        }
        let uid = crate::new_uid();
        sqlx::query(
            "INSERT INTO test_meters (uid, test_id, reads, place, gear_id, calibrated, crc32) \
             VALUES (?, ?, ?, ?, (SELECT id FROM gear WHERE uid = ?), ?, ?)",
        )
        .bind(&uid)
        .bind(test_id)
        .bind(reads.name())
        .bind(place)
        .bind(meter)
        .bind(calibrated)
        .bind(sum_of(&uid, reads.name(), place, meter, calibrated))
        .execute(&mut *connection)
        .await?;
    }
    Ok(())
}

/// The meter counts by its identity, so that the row is the same in every bench.
fn sum_of(uid: &str, reads: &str, place: &str, meter: Option<&str>, calibrated: &str) -> i64 {
    Checksum::default().text(uid).text(reads).text(place).optional(meter).text(calibrated).end()
}
