//! What changes in a project, as it changes, over a WebSocket.
use crate::api::{Api, Says};
use crate::extract::Path;
use crate::state::App;
use axum::extract::State;
use axum::extract::ws::{Message, WebSocket, WebSocketUpgrade};
use axum::response::Response;
use nematon_store::Notice;
use tokio::sync::broadcast::Receiver;
use tokio::sync::broadcast::error::RecvError;

pub fn routes() -> Api {
    let says = Says::gives::<Notice>("What changes in it, as it changes: a WebSocket of these").status("101");
    Api::default().get("/projects/{id}/events", says, follow)
}

async fn follow(State(app): State<App>, Path(id): Path<i64>, upgrade: WebSocketUpgrade) -> Response {
    let notices = app.subscribe();
    upgrade.on_upgrade(move |socket| pass_on(socket, notices, id))
}

async fn pass_on(mut socket: WebSocket, mut notices: Receiver<Notice>, project: i64) {
    loop {
        let notice = tokio::select! {
            n = notices.recv() => n,
            m = socket.recv() => match m {
                // The window says nothing; it only goes.
                Some(Ok(Message::Close(_)) | Err(_)) | None => return,
                Some(Ok(_)) => continue,
            },
        };
        let text = match notice {
            Ok(n) if n.project() == project => serde_json::to_string(&n).unwrap_or_default(),
            Ok(_) => continue,
            // Too slow to hear all: read everything again.
            Err(RecvError::Lagged(_)) => r#"{"kind":"all"}"#.to_owned(),
            Err(RecvError::Closed) => return,
        };
        if socket.send(Message::Text(text.into())).await.is_err() {
            return;
        }
    }
}
