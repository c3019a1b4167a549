//! What all routes share.
use crate::library::StoredMeshes;
use crate::prints::Prints;
use crate::route::attempt::Attempts;
use nematon_store::{Notice, Store};
use std::sync::Arc;
use std::time::Duration;
use tokio::sync::broadcast;

/// Shared by all requests; cheap to clone.
#[derive(Clone)]
pub struct App {
    pub store: Store,
    pub meshes: StoredMeshes,
    pub prints: Arc<Prints>,
    pub attempts: Arc<Attempts>,
    pub port: u16,
    /// Bytes that may be kept.
    pub keep: u64,
    notices: broadcast::Sender<Notice>,
}

impl App {
    pub fn new(store: Store, port: u16, keep: u64) -> App {
        let (notices, _) = broadcast::channel(256);
        App {
            meshes: StoredMeshes::new(store.clone()),
            prints: Arc::default(),
            attempts: Arc::default(),
            store,
            port,
            keep,
            notices,
        }
    }

    /// Passes what the database tells on to all open windows, for as long as the program runs.
    pub fn listen(&self) {
        let app = self.clone();
        tokio::spawn(async move {
            loop {
                if let Ok(mut heard) = app.store.listen().await {
                    while let Ok(notice) = heard.next().await {
                        // Nobody listening is no fault.
                        let _ = app.notices.send(notice);
                    }
                }
                tokio::time::sleep(Duration::from_millis(500)).await;
            }
        });
    }

    pub fn subscribe(&self) -> broadcast::Receiver<Notice> {
        self.notices.subscribe()
    }

    /// Whether a host, with its port, is this server.
    pub fn is_here(&self, host: &str) -> bool {
        ["127.0.0.1", "localhost", "[::1]"].iter().any(|h| host == format!("{h}:{}", self.port))
    }
}
