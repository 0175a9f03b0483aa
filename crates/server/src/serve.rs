//! Putting it together: record, engine, watch, routes, front end, on one address.

use std::collections::BTreeMap;
use std::net::SocketAddr;
use std::path::PathBuf;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

use axum::Router;
use axum::extract::{Request, State};
use axum::http::Uri;
use axum::middleware::{self, Next};
use axum::response::Response;
use tokio::net::TcpListener;
use tokio::sync::watch;
use tokio::task::JoinHandle;
use tower_http::catch_panic::CatchPanicLayer;
use tower_http::compression::CompressionLayer;
use tower_http::trace::TraceLayer;
use veritope_engine::library::hold::Folder;
use veritope_engine::library::{DataError, data::DataFolder};
use veritope_engine::ports::{Notify, OverHttp};
use veritope_engine::{BenchClock, Engine, OpenError, Parts, SUPPLIES};
use veritope_wire::{CaptureId, PlaceId, UnitId};

use crate::events::Events;
use crate::front::{FrontEnd, NoFrontEnd};
use crate::guard::{OwnNames, guard};
use crate::jobs::Jobs;
use crate::routes::{App, router};
use crate::store::{Store, StoreError};
use crate::system::{SystemClock, SystemIds};

/// How to serve.
#[derive(Debug, Clone)]
pub struct Config {
    /// Address; port 0 takes a free one. Only this machine's own.
    pub listen: SocketAddr,
    /// The data folder.
    pub data: Folder,
    /// The vault, where it lies elsewhere.
    pub vault: Option<PathBuf>,
    /// The front end.
    pub front: FrontEnd,
}

/// Why the server can't start; one sentence each.
#[derive(Debug, thiserror::Error)]
pub enum ServeError {
    /// The port is taken or the address not ours.
    #[error("{address} can't be listened on ({why}); choose another with --listen")]
    Listen {
        /// The address.
        address: SocketAddr,
        /// Why.
        why: std::io::Error,
    },
    /// Not this machine's own address.
    #[error("{0} is not this machine's own address; Veritope listens on 127.0.0.1 or [::1]")]
    NotLoopback(SocketAddr),
    /// The front end.
    #[error(transparent)]
    Front(#[from] NoFrontEnd),
    /// The data folder.
    #[error(transparent)]
    Data(#[from] DataError),
    /// The record.
    #[error(transparent)]
    Store(#[from] StoreError),
    /// The engine.
    #[error(transparent)]
    Engine(#[from] OpenError),
    /// A thread can't be made.
    #[error("a thread could not be made")]
    Thread(#[from] std::io::Error),
}

/// A server that is up.
pub struct Running {
    /// Where it listens.
    pub address: SocketAddr,
    stop: watch::Sender<bool>,
    served: JoinHandle<std::io::Result<()>>,
    jobs: Arc<Jobs>,
    watching: Arc<AtomicBool>,
    watch: std::thread::JoinHandle<()>,
}

impl Running {
    /// Stops: streams end, waiting stops, requests under way are answered. Then the data folder is held no
    /// longer, unless a job still moves bytes.
    pub async fn stop(self) {
        self.watching.store(false, Ordering::SeqCst);
        self.jobs.stop();
        // Nobody listening means that it has stopped already.
        let _ = self.stop.send(true);
        if let Err(error) = self.served.await {
            tracing::error!(%error, "the server broke off");
        }
        // A thread that panicked has let go as well.
        let _ = tokio::task::spawn_blocking(move || self.watch.join()).await;
    }
}

/// Opens a bench's record and engine; blocking. `notify` hears of changes.
///
/// # Errors
/// When the data folder, the log's folder or the vault can't be used.
pub fn open_engine(
    data: Folder,
    vault: Option<PathBuf>,
    notify: Arc<dyn Notify>,
) -> Result<(Arc<Engine>, Arc<Store>), ServeError> {
    let folder = DataFolder::within(data.take()?)?.with_vault(vault);
    let clock = bench_clock(&folder)?;
    let store = Arc::new(Store::open(&folder, Arc::clone(&clock))?);
    let parts = Parts {
        journal: store.desk(),
        clock,
        ids: Arc::new(SystemIds),
        notify,
        connect: Arc::new(OverHttp),
        supplies: SUPPLIES.into(),
    };
    Ok((Arc::new(Engine::open(folder, parts)?), store))
}

/// The time that is counted on a data folder, by this machine's clocks.
///
/// # Errors
/// When what is remembered of it can't be read.
pub fn bench_clock(data: &DataFolder) -> Result<Arc<BenchClock>, ServeError> {
    Ok(BenchClock::open(
        data.remembered_clock()?,
        Arc::new(SystemClock),
    ))
}

/// How often bridges are looked at.
const WATCH_EVERY: Duration = Duration::from_millis(500);

/// Starts serving.
///
/// # Errors
/// See [`ServeError`]; nothing is left running then.
pub async fn start(config: Config) -> Result<Running, ServeError> {
    if !config.listen.ip().is_loopback() {
        return Err(ServeError::NotLoopback(config.listen));
    }
    config.front.check()?;
    let refuse = |why| ServeError::Listen {
        address: config.listen,
        why,
    };
    let listener = TcpListener::bind(config.listen).await.map_err(refuse)?;
    let address = listener.local_addr().map_err(refuse)?;
    let events = Arc::new(Events::default());
    let notify = Arc::clone(&events) as Arc<dyn Notify>;
    let (data, vault) = (config.data.clone(), config.vault.clone());
    let (engine, store) = tokio::task::spawn_blocking(move || open_engine(data, vault, notify))
        .await
        .map_err(std::io::Error::other)??;
    let jobs = Arc::new(Jobs::new(Arc::clone(&events)));
    let (stop, stopping) = watch::channel(false);
    let watching = Arc::new(AtomicBool::new(true));
    let watch = watch_bridges(
        Arc::clone(&engine),
        Arc::clone(&jobs),
        Arc::clone(&watching),
    )?;
    let app = App {
        engine,
        store,
        jobs: Arc::clone(&jobs),
        events,
        stopping: stopping.clone(),
    };
    let service = service(app, config.front, OwnNames::of(address));
    let served = tokio::spawn(async move {
        let mut stopping = stopping;
        axum::serve(listener, service)
            .with_graceful_shutdown(async move {
                let _ = stopping.wait_for(|stopping| *stopping).await;
            })
            .await
    });
    Ok(Running {
        address,
        stop,
        served,
        jobs,
        watching,
        watch,
    })
}

/// How long a capture that broke off again is left alone.
const RESUME_EVERY: Duration = Duration::from_secs(10);

/// How often it is looked whether a copy was left for long.
const LOOK_FOR_OLD_EVERY: Duration = Duration::from_mins(5);
/// How long one that could not be read, or gave way, is left alone.
const READ_AGAIN_EVERY: Duration = Duration::from_mins(60);

/// Reads the copy back that was left longest, where its turn has come (`B7`).
fn read_what_is_due(
    engine: &Arc<Engine>,
    jobs: &Arc<Jobs>,
    read: &mut BTreeMap<(CaptureId, PlaceId), Instant>,
) {
    read.retain(|_, last| last.elapsed() < READ_AGAIN_EVERY);
    let was_tried = |capture, place| read.contains_key(&(capture, place));
    let Some((unit, capture, place)) = engine.keeping.due_to_read(was_tried) else {
        return;
    };
    read.insert((capture, place), Instant::now());
    let engine = Arc::clone(engine);
    jobs.when_idle(unit, "reading a copy back", move |watcher| {
        engine.keeping.verify(unit, capture, place, watcher)?;
        Ok("A copy that was left for long was read back.".to_owned())
    });
}

fn watch_bridges(
    engine: Arc<Engine>,
    jobs: Arc<Jobs>,
    watching: Arc<AtomicBool>,
) -> std::io::Result<std::thread::JoinHandle<()>> {
    std::thread::Builder::new()
        .name("watch".to_owned())
        .spawn(move || {
            let mut tried: BTreeMap<UnitId, Instant> = BTreeMap::new();
            let mut read: BTreeMap<(CaptureId, PlaceId), Instant> = BTreeMap::new();
            let mut looked = Instant::now();
            while watching.load(Ordering::SeqCst) {
                engine.watch();
                // Reading resumes by itself; writing waits for a person's click.
                for (unit, kind) in engine.keeping.resumable() {
                    let last = tried.get(&unit);
                    if last.is_some_and(|last| last.elapsed() < RESUME_EVERY) {
                        continue;
                    }
                    tried.insert(unit, Instant::now());
                    let engine = Arc::clone(&engine);
                    drop(jobs.move_bytes(
                        Some(unit),
                        "capture, gone on with",
                        None,
                        move |watcher| {
                            engine.runs.resume_capture(unit, &kind, watcher)?;
                            Ok("The capture is whole.".to_owned())
                        },
                    ));
                }
                // Reading copies back is nobody's hurry.
                if looked.elapsed() >= LOOK_FOR_OLD_EVERY {
                    looked = Instant::now();
                    read_what_is_due(&engine, &jobs, &mut read);
                }
                std::thread::sleep(WATCH_EVERY);
            }
        })
}

/// Every answer tells both times as they are now: a page compares what the bench has counted with that.
async fn tell_clock(
    State(clock): State<Arc<BenchClock>>,
    request: Request,
    next: Next,
) -> Response {
    let mut response = next.run(request).await;
    let told = serde_json::to_string(&clock.stamp());
    if let Ok(value) = told
        .map_err(drop)
        .and_then(|text| text.parse().map_err(drop))
    {
        response.headers_mut().insert("bench-clock", value);
    }
    response
}

fn service(app: App, front: FrontEnd, own: OwnNames) -> Router {
    let clock = app.engine.pen.clock();
    router(app)
        .fallback(move |uri: Uri| {
            let front = front.clone();
            async move {
                tokio::task::spawn_blocking(move || front.answer(&uri))
                    .await
                    .unwrap_or_else(|_| {
                        axum::response::IntoResponse::into_response(
                            axum::http::StatusCode::INTERNAL_SERVER_ERROR,
                        )
                    })
            }
        })
        .layer(middleware::from_fn_with_state(clock, tell_clock))
        .layer(middleware::from_fn_with_state(own, guard))
        .layer(CompressionLayer::new())
        .layer(CatchPanicLayer::new())
        .layer(TraceLayer::new_for_http())
}
