//! Everything that happens while nobody presses anything: meters that are listened to, logs that are recorded, and readings
//! that arrive from another browser.

use crate::background::recording::{Inlet, Recording};
use flindo_core::gear::Gear;
use flindo_core::gear::meter::Meter;
use flindo_core::measure::quantity::{Dimension, Quantity, UnsteadyPolicy};
use flindo_meters::live::{MeterState, NoFigure, NotSteady, Refusal, Shown, Taken};
use flindo_meters::{Allowed, Live, Received, Source, already_written, listen, now_ms};
use flindo_store::{LogEvent, LogEventKind, NewSample, Store, StoreError};
use jiff::Timestamp;
use std::collections::{BTreeMap, HashMap};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Duration;
use tokio::sync::{broadcast, mpsc};
use tokio_util::sync::{CancellationToken, DropGuard};

/// How long stopping a recording may take.
const LONGEST_STOP: Duration = Duration::from_secs(5);

/// How long the end of the program waits for recordings.
const LONGEST_CLOSE: Duration = Duration::from_secs(2);

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

impl Listening {
    /// One step of its display, as its entry says; 0 where it does not.
    fn step_of(&self, quantity: Quantity) -> f64 {
        match quantity.dimension() {
            Dimension::Voltage => self.meter.volts_step_v.unwrap_or(0.0),
            Dimension::Current => self.meter.amps_step_a.unwrap_or(0.0),
            Dimension::Power
            | Dimension::Energy
            | Dimension::Charge
            | Dimension::Irradiance
            | Dimension::Temperature
            | Dimension::Share
            | Dimension::Speed => 0.0,
        }
    }
}

/// One meter as a page shows it.
pub struct MeterNow {
    pub id: i64,
    pub name: String,
    pub who: String,
    pub state: MeterState,
    pub shown: Vec<Shown>,
    pub no_figures: Vec<NoFigure>,
    /// Whether it can be taken without a key.
    pub steady: Result<(), NotSteady>,
    /// Of each quantity what was heard in the last two minutes, ms before now.
    pub traces: BTreeMap<Quantity, Vec<(i64, f64)>>,
    pub taken_ago_ms: Option<i64>,
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
            .filter_map(|row| {
                let Gear::Meter(meter) = row.gear else { return None };
                let source = Source::of(&meter).ok().flatten()?;
                Some((row.id, row.draft.name, meter, source))
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

    /// Every meter that is listened to, by name. A figure is steady within this share of its mean.
    pub async fn meters(&self, within_rel: f64) -> Vec<MeterNow> {
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
                steady: live.steady(at_ms, within_rel, |quantity| listening.step_of(quantity)),
                traces: live.traces(at_ms),
                taken_ago_ms: live.taken_ago_ms(at_ms),
                held_by: live.held_by().and_then(|(by, at_ms)| Some((by.to_owned(), Timestamp::from_millisecond(at_ms).ok()?))),
                recording,
            });
        }
        now.sort_by(|a, b| a.name.cmp(&b.name));
        now
    }

    /// The logs that are being recorded.
    pub async fn recording(&self) -> Vec<i64> {
        let all: Vec<Arc<Listening>> = held(&self.0.meters).values().cloned().collect();
        let mut logs = Vec::new();
        for listening in all {
            logs.extend(listening.recording.lock().await.as_ref().map(|recording| recording.log_id));
        }
        logs
    }

    fn listening(&self, id: i64) -> Result<Arc<Listening>, StoreError> {
        held(&self.0.meters).get(&id).cloned().ok_or(StoreError::NotFound("meter that is listened to"))
    }

    /// What a meter shows, as a reading.
    pub fn take(&self, id: i64, unsteady: UnsteadyPolicy) -> Result<Result<Taken, Refusal>, StoreError> {
        let listening = self.listening(id)?;
        Ok(held(&listening.live).take(now_ms(), unsteady, |quantity| listening.step_of(quantity)))
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
        *recording = Some(Recording::start(self.0.store.clone(), log_id, run_id));
        Ok(log_id)
    }

    /// Goes on with the logs that were being recorded when the program last stopped. Those whose meter is not listened to any more end
    /// with their last sample.
    pub async fn resume(&self) -> Result<(), StoreError> {
        self.pack(self.0.store.unpacked_logs().await?);
        for log in self.0.store.open_logs().await? {
            let of_name = |listening: &&Arc<Listening>| listening.name == log.name;
            let listening = held(&self.0.meters).values().find(of_name).cloned();
            let recording = match &listening {
                Some(listening) => Some(listening.recording.lock().await),
                None => None,
            };
            // By the meter's own clock, which need not be this machine's.
            let (last_ms, _) = self.0.store.samples_around(log.id, i64::MAX).await?;
            match recording {
                Some(mut recording) if recording.is_none() => {
                    let at_ms = last_ms.unwrap_or_else(|| log.started_utc.as_millisecond());
                    let event = LogEvent { at_ms, what: LogEventKind::Resumed, samples: 0 };
                    self.0.store.add_log_event(log.id, event).await?;
                    let resumed = Recording::start(self.0.store.clone(), log.id, log.run_id);
                    if let Some(listening) = &listening {
                        self.catch_up(&listening.meter, at_ms, resumed.inlet());
                    }
                    *recording = Some(resumed);
                }
                Some(_) | None => {
                    let ended = last_ms.and_then(|last_ms| Timestamp::from_millisecond(last_ms).ok()).unwrap_or(log.started_utc);
                    self.0.store.end_log(log.id, ended).await?;
                }
            }
        }
        Ok(())
    }

    /// Puts into a log what its meter's file got while the program was not running. What is heard meanwhile is in both, and kept once.
    fn catch_up(&self, meter: &Meter, after_ms: i64, inlet: Inlet) {
        let Some(source) = Source::of(meter).ok().flatten() else { return };
        let (out, mut heard) = mpsc::channel(256);
        tokio::spawn(already_written(source, out, self.0.allowed.clone()));
        let closing = self.closing();
        tokio::spawn(async move {
            while let Some(Some(one)) = closing.run_until_cancelled(heard.recv()).await {
                if let Received::Sample(sample) = one
                    && sample.at_ms >= after_ms
                {
                    inlet.put(NewSample { quantity: sample.quantity, at_ms: sample.at_ms, value: sample.value }).await;
                }
            }
        });
    }

    /// Ends a recording; answers how many samples could not be written.
    pub async fn stop_recording(&self, id: i64) -> Result<usize, StoreError> {
        self.end_recording(&*self.listening(id)?).await
    }

    /// Packs logs that are complete, in the background.
    fn pack(&self, logs: Vec<i64>) {
        let (store, closing) = (self.0.store.clone(), self.closing());
        tokio::spawn(async move {
            for id in logs {
                let packed = tokio::select! {
                    packed = store.pack_log(id) => packed,
                    () = closing.cancelled() => return,
                };
                if let Err(error) = packed {
                    store.note_failure(&error);
                    tracing::warn!(%error, id, "a log was not packed; it is read all the same");
                }
            }
        });
    }

    /// Ends the recordings that belong to runs that are done; answers which meter recorded which run.
    pub async fn end_with_runs(&self, runs: &[i64]) -> Result<Vec<(i64, i64)>, StoreError> {
        let all: Vec<(i64, Arc<Listening>)> =
            held(&self.0.meters).iter().map(|(id, listening)| (*id, listening.clone())).collect();
        let mut ended = Vec::new();
        for (id, listening) in all {
            let run_id = listening.recording.lock().await.as_ref().and_then(|recording| recording.run_id);
            if let Some(run_id) = run_id.filter(|run_id| runs.contains(run_id)) {
                self.end_recording(&listening).await?;
                ended.push((id, run_id));
            }
        }
        Ok(ended)
    }

    async fn end_recording(&self, listening: &Listening) -> Result<usize, StoreError> {
        let Some(recording) = listening.recording.lock().await.take() else { return Ok(0) };
        let (log_id, now) = (recording.log_id, Timestamp::now());
        let lost = recording.finish(LONGEST_STOP).await;
        let ending = async {
            if lost > 0 {
                let event = LogEvent { at_ms: now.as_millisecond(), what: LogEventKind::Lost, samples: lost as i64 };
                self.0.store.add_log_event(log_id, event).await?;
            }
            self.0.store.end_log(log_id, now).await
        };
        tokio::time::timeout(LONGEST_STOP, ending).await.unwrap_or(Err(StoreError::Busy))?;
        self.pack(vec![log_id]);
        Ok(lost)
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

    /// Ends all streams and writes what waits. Logs stay open: the next start goes on with them.
    pub async fn close(&self) {
        self.0.closing.cancel();
        let all: Vec<Arc<Listening>> = held(&self.0.meters).drain().map(|(_, listening)| listening).collect();
        let mut closing = tokio::task::JoinSet::new();
        for listening in all {
            closing.spawn(async move {
                if let Some(recording) = listening.recording.lock().await.take() {
                    recording.finish(LONGEST_CLOSE).await;
                }
            });
        }
        closing.join_all().await;
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
            if let Received::Sample(sample) = one {
                let inlet = listening.recording.lock().await.as_ref().map(Recording::inlet);
                if let Some(inlet) = inlet {
                    inlet.put(NewSample { quantity: sample.quantity, at_ms: sample.at_ms, value: sample.value }).await;
                }
            }
        }
    });
    listening
}
