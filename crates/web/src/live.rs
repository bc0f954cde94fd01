//! Everything that happens while nobody presses anything: meters that are listened to, logs that are recorded, and readings
//! that arrive from another browser.

use flindo_core::gear::Gear;
use flindo_core::gear::meter::Meter;
use flindo_core::measure::quantity::{Quantity, Wobble};
use flindo_meters::live::{NoFigure, Refusal, Shown, State, Taken};
use flindo_meters::{Allowed, Heard, Live, Source, listen, now_ms};
use flindo_store::{NewSample, Store, StoreError};
use jiff::Timestamp;
use std::collections::HashMap;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Duration;
use tokio::sync::{broadcast, mpsc};
use tokio::task::JoinHandle;
use tokio_util::sync::{CancellationToken, DropGuard};

/// Samples are written to the bench this often: what a power cut can cost.
const WRITE_EVERY: Duration = Duration::from_secs(1);

/// Between two writes it is looked this often whether samples pile up.
const LOOKS: u32 = 50;

/// Samples that may wait for the disk; then the meter waits.
const WAITING_SAMPLES: usize = 4096;

/// What is heard and told, shared by all pages.
#[derive(Clone)]
pub struct Hub(Arc<Inner>);

struct Inner {
    store: Store,
    allowed: Allowed,
    meters: Mutex<HashMap<i64, Arc<Listening>>>,
    /// Tests that changed.
    changed: broadcast::Sender<i64>,
    closing: CancellationToken,
}

/// One meter that is listened to.
struct Listening {
    name: String,
    meter: Meter,
    live: Mutex<Live>,
    recording: tokio::sync::Mutex<Option<Recording>>,
    _until_dropped: DropGuard,
}

struct Recording {
    log_id: i64,
    out: mpsc::Sender<NewSample>,
    writer: JoinHandle<()>,
}

/// One meter as a page shows it.
pub struct MeterNow {
    pub id: i64,
    pub name: String,
    pub who: String,
    pub state: State,
    pub shown: Vec<Shown>,
    pub no_figures: Vec<NoFigure>,
    /// Who holds it, and since when.
    pub held_by: Option<(String, Timestamp)>,
    pub recording: Option<i64>,
}

/// What happened in a test while a page was open.
#[derive(Debug, Clone, Copy)]
pub enum Told {
    /// Readings or runs of this test changed.
    Changed,
    /// More happened than could be told: look again.
    Missed,
}

fn held<T>(lock: &Mutex<T>) -> MutexGuard<'_, T> {
    // Nobody stops in the middle of a change; what another thread left is whole.
    lock.lock().unwrap_or_else(PoisonError::into_inner)
}

impl std::fmt::Debug for Hub {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Hub")
    }
}

impl Hub {
    pub fn new(store: Store, allowed: Allowed) -> Self {
        let (changed, _) = broadcast::channel(64);
        Hub(Arc::new(Inner { store, allowed, meters: Mutex::default(), changed, closing: CancellationToken::new() }))
    }

    /// Resolves when the server stops; open event streams end then.
    pub fn closing(&self) -> CancellationToken {
        self.0.closing.clone()
    }

    /// Listens to every meter of the bench that can be listened to; begins anew with those whose entry changed.
    pub async fn refresh(&self) -> Result<(), StoreError> {
        let gear = self.0.store.gear().await?;
        let wanted: Vec<(i64, String, Meter, Source)> = gear
            .into_iter()
            .filter_map(|row| match row.gear {
                Gear::Meter(meter) => {
                    let source = Source::of(&meter).ok().flatten()?;
                    Some((row.id, row.draft.name, meter, source))
                }
                _ => None,
            })
            .collect();
        let mut gone = Vec::new();
        {
            let mut meters = held(&self.0.meters);
            meters.retain(|id, listening| {
                let stays = wanted
                    .iter()
                    .any(|(wanted_id, name, meter, _)| wanted_id == id && *name == listening.name && *meter == listening.meter);
                if !stays {
                    gone.push(listening.clone());
                }
                stays
            });
            for (id, name, meter, source) in wanted {
                meters.entry(id).or_insert_with(|| start(name, meter, source, self.0.allowed.clone()));
            }
        }
        for listening in gone {
            self.end_recording(&listening).await?;
        }
        Ok(())
    }

    /// Every meter that is listened to, by name.
    pub async fn meters(&self) -> Vec<MeterNow> {
        let all: Vec<(i64, Arc<Listening>)> =
            held(&self.0.meters).iter().map(|(id, listening)| (*id, listening.clone())).collect();
        let mut now = Vec::with_capacity(all.len());
        for (id, listening) in all {
            let recording = listening.recording.lock().await.as_ref().map(|recording| recording.log_id);
            let live = held(&listening.live);
            let at_ms = now_ms();
            now.push(MeterNow {
                id,
                name: listening.name.clone(),
                who: live.who.clone(),
                state: live.state(at_ms),
                shown: live.shown(at_ms),
                no_figures: live.no_figures(),
                held_by: live.held_by().and_then(|(by, at_ms)| Some((by.to_owned(), Timestamp::from_millisecond(at_ms).ok()?))),
                recording,
            });
        }
        now.sort_by(|a, b| a.name.cmp(&b.name));
        now
    }

    fn listening(&self, id: i64) -> Result<Arc<Listening>, StoreError> {
        held(&self.0.meters).get(&id).cloned().ok_or(StoreError::NotFound("meter that is listened to"))
    }

    /// What a meter shows, as a reading.
    pub fn take(&self, id: i64, wobble: Wobble) -> Result<Result<Taken, Refusal>, StoreError> {
        let listening = self.listening(id)?;
        let meter = &listening.meter;
        let step = |quantity: Quantity| match quantity.unit() {
            "V" => meter.volts_step_v.unwrap_or(0.0),
            "A" => meter.amps_step_a.unwrap_or(0.0),
            _ => 0.0,
        };
        Ok(held(&listening.live).take(now_ms(), wobble, step))
    }

    /// What was taken and could not be kept is there to be taken again.
    pub fn give_back(&self, id: i64, taken: Taken) {
        // A meter that is not listened to any more has nothing to give it back to.
        if let Ok(listening) = self.listening(id) {
            held(&listening.live).give_back(taken);
        }
    }

    /// Holds what a meter shows, or lets it go.
    pub fn hold(&self, id: i64, by: &str) -> Result<(), StoreError> {
        held(&self.listening(id)?.live).hold(now_ms(), by);
        Ok(())
    }

    pub fn reset_peak(&self, id: i64) -> Result<(), StoreError> {
        held(&self.listening(id)?.live).reset_peak();
        Ok(())
    }

    /// Begins to record a meter into a new log; answers its id. One that is being recorded goes on.
    pub async fn record(&self, id: i64, test_id: Option<i64>, run_id: Option<i64>) -> Result<i64, StoreError> {
        let listening = self.listening(id)?;
        let mut recording = listening.recording.lock().await;
        if let Some(recording) = recording.as_ref() {
            return Ok(recording.log_id);
        }
        let log_id = self.0.store.begin_log(test_id, run_id, &listening.name, Timestamp::now()).await?;
        let (out, samples) = mpsc::channel(WAITING_SAMPLES);
        let writer = tokio::spawn(write_log(self.0.store.clone(), log_id, samples));
        *recording = Some(Recording { log_id, out, writer });
        Ok(log_id)
    }

    pub async fn stop_recording(&self, id: i64) -> Result<(), StoreError> {
        self.end_recording(&*self.listening(id)?).await
    }

    async fn end_recording(&self, listening: &Listening) -> Result<(), StoreError> {
        let Some(Recording { log_id, out, writer }) = listening.recording.lock().await.take() else { return Ok(()) };
        // The writer writes what waits and ends.
        drop(out);
        let _ = writer.await;
        self.0.store.end_log(log_id, Timestamp::now()).await
    }

    /// Tells every open page of a test that it changed.
    pub fn tell(&self, test_id: i64) {
        // Nobody may be looking.
        let _ = self.0.changed.send(test_id);
    }

    /// What happens in one test from now on.
    pub fn watch(&self, test_id: i64) -> Watch {
        Watch { test_id, changed: self.0.changed.subscribe() }
    }

    /// Ends all streams and logs.
    pub async fn close(&self) {
        self.0.closing.cancel();
        let all: Vec<Arc<Listening>> = held(&self.0.meters).drain().map(|(_, listening)| listening).collect();
        for listening in all {
            if let Err(error) = self.end_recording(&listening).await {
                tracing::error!(%error, meter = listening.name, "its log was not ended");
            }
        }
    }
}

/// See [`Hub::watch`].
pub struct Watch {
    test_id: i64,
    changed: broadcast::Receiver<i64>,
}

impl Watch {
    /// The next thing that happens; waits without end when nothing more can.
    pub async fn next(&mut self) -> Told {
        loop {
            match self.changed.recv().await {
                Ok(test_id) if test_id == self.test_id => return Told::Changed,
                Ok(_) => {}
                Err(broadcast::error::RecvError::Lagged(_)) => return Told::Missed,
                Err(broadcast::error::RecvError::Closed) => std::future::pending().await,
            }
        }
    }
}

fn start(name: String, meter: Meter, source: Source, allowed: Allowed) -> Arc<Listening> {
    let cancel = CancellationToken::new();
    let (out, mut heard) = mpsc::channel(256);
    let listening = Arc::new(Listening {
        name,
        meter,
        live: Mutex::default(),
        recording: tokio::sync::Mutex::default(),
        _until_dropped: cancel.clone().drop_guard(),
    });
    tokio::spawn(listen(source, out, allowed, cancel));
    // Weak, so that dropping the entry ends the listener.
    let weak = Arc::downgrade(&listening);
    tokio::spawn(async move {
        while let Some(one) = heard.recv().await {
            let Some(listening) = weak.upgrade() else { return };
            held(&listening.live).hear(&one);
            if let Heard::Sample(sample) = one {
                let out = listening.recording.lock().await.as_ref().map(|recording| recording.out.clone());
                if let Some(out) = out {
                    // A full channel holds the meter back; nothing is dropped.
                    let _ = out.send(NewSample { quantity: sample.quantity, at_ms: sample.at_ms, value: sample.value }).await;
                }
            }
        }
    });
    listening
}

async fn write_log(store: Store, log_id: i64, mut samples: mpsc::Receiver<NewSample>) {
    let mut batch = Vec::new();
    // Whatever waits is written together.
    while samples.recv_many(&mut batch, WAITING_SAMPLES).await > 0 {
        while !batch.is_empty() {
            match store.add_samples(log_id, &batch).await {
                Ok(()) => batch.clear(),
                Err(error) => {
                    tracing::error!(%error, log_id, "samples wait for the bench");
                    tokio::time::sleep(WRITE_EVERY).await;
                }
            }
        }
        // One write a second for a meter that leaves time for it; a fast one or a stop does not wait.
        for _ in 0..LOOKS {
            if samples.is_closed() || samples.len() > WAITING_SAMPLES / 4 {
                break;
            }
            tokio::time::sleep(WRITE_EVERY / LOOKS).await;
        }
    }
}
