//! What each request gets.

use crate::access::{self, Foreign, Token};
use crate::events;
use crate::metrics;
use crate::snapshot::{SetError, SetPoints, Shown, Snapshot};
use axum::Router;
use axum::body::Bytes;
use axum::extract::{DefaultBodyLimit, Path, Request, State as Of};
use axum::http::{HeaderName, Method, StatusCode, header};
use axum::middleware::{self, Next};
use axum::response::sse::{KeepAlive, Sse};
use axum::response::{IntoResponse, Response};
use axum::routing::{get, post};
use serde::Deserialize;
use std::sync::Arc;
use std::time::Duration;
use tokio::sync::watch;
use tokio::time;

/// So much a request may send.
const BODY_BYTES: usize = 4 * 1024;
/// Who shows a wrong token waits for so long.
const WRONG_TOKEN: Duration = Duration::from_millis(500);

const PAGE: &str = include_str!("../page/page.html");
const STYLE: &str = include_str!("../page/page.css");
const SCRIPT: &str = include_str!("../page/page.js");
const ASK: &str = include_str!("../page/token.html");

/// Nothing from outside, no script but ours, in no frame of others.
const POLICY: &str = "default-src 'none'; script-src 'self'; style-src 'self'; connect-src 'self'; img-src data:; \
                      form-action 'self'; base-uri 'none'; frame-ancestors 'none'";

/// What answers are made of.
#[derive(Clone)]
pub(crate) struct State {
    pub(crate) shown: Arc<dyn Shown>,
    pub(crate) newest: watch::Receiver<Arc<Snapshot>>,
    pub(crate) token: Option<Arc<Token>>,
    pub(crate) set: Option<Arc<dyn SetPoints>>,
}

/// All that can be asked for.
pub(crate) fn routes(state: State) -> Router {
    let mut routes = Router::new()
        .route("/", get(async || text("text/html; charset=utf-8", PAGE)))
        .route("/points", get(points))
        .route("/events", get(all_events))
        .route("/metrics", get(all_metrics));
    if state.set.is_some() {
        routes = routes.route("/points/{name}", post(set));
    }
    let open = Router::new()
        .route("/page.css", get(async || text("text/css; charset=utf-8", STYLE)))
        .route("/page.js", get(async || text("text/javascript; charset=utf-8", SCRIPT)))
        .route("/token", post(take_token));
    routes
        .layer(middleware::from_fn_with_state(state.clone(), with_token))
        .merge(open)
        .layer(DefaultBodyLimit::max(BODY_BYTES))
        .layer(middleware::from_fn(with_headers))
        .with_state(state)
}

fn text(kind: &'static str, body: impl IntoResponse) -> Response {
    ([(header::CONTENT_TYPE, kind)], body).into_response()
}

fn refused(status: StatusCode, why: &str) -> Response {
    (status, text("text/plain; charset=utf-8", format!("{why}\n"))).into_response()
}

/// Refuses what others make a browser ask, and says to a browser what the answers may do.
async fn with_headers(request: Request, next: Next) -> Response {
    let mut response = match access::check(request.headers()) {
        Ok(()) => next.run(request).await,
        Err(foreign) => {
            tracing::warn!(
                "a request of another {} was refused",
                if foreign == Foreign::Host { "host" } else { "page" }
            );
            refused(StatusCode::FORBIDDEN, "This server is asked by its address or its name in your own network.")
        }
    };
    let own: [(HeaderName, &str); 4] = [
        (header::CONTENT_SECURITY_POLICY, POLICY),
        (header::X_CONTENT_TYPE_OPTIONS, "nosniff"),
        (header::REFERRER_POLICY, "no-referrer"),
        (header::CACHE_CONTROL, "no-store"),
    ];
    for (name, value) in own {
        response.headers_mut().insert(name, axum::http::HeaderValue::from_static(value));
    }
    response
}

/// Lets nobody in without the token, where there is one.
async fn with_token(Of(state): Of<State>, request: Request, next: Next) -> Response {
    let is_known = state.token.as_ref().is_none_or(|token| token.is_shown(request.headers()));
    if is_known {
        return next.run(request).await;
    }
    let shows_one = [header::AUTHORIZATION, header::COOKIE].iter().any(|name| request.headers().contains_key(name));
    if shows_one {
        tracing::warn!("a request with a wrong token was refused: {}", request.uri().path());
        time::sleep(WRONG_TOKEN).await;
    } else if request.uri().path() != "/" {
        // Whoever opens the page is asked for it, and is no news.
        tracing::warn!("a request without a token was refused: {}", request.uri().path());
    }
    let mut response = match (request.method(), request.uri().path()) {
        (&Method::GET, "/") => (StatusCode::UNAUTHORIZED, text("text/html; charset=utf-8", ASK)).into_response(),
        _ => refused(
            StatusCode::UNAUTHORIZED,
            "The token is missing or wrong: send it as `Authorization: Bearer TOKEN`.",
        ),
    };
    response.headers_mut().insert(header::WWW_AUTHENTICATE, axum::http::HeaderValue::from_static("Bearer"));
    response
}

/// Takes the token that somebody typed on the page; from then on the browser shows it.
async fn take_token(Of(state): Of<State>, body: Bytes) -> Response {
    let typed = std::str::from_utf8(&body).unwrap_or_default().trim();
    // As a form sends it, or alone.
    let typed = typed.strip_prefix("token=").unwrap_or(typed);
    let Some(token) = &state.token else { return StatusCode::NO_CONTENT.into_response() };
    if !token.is(typed) {
        tracing::warn!("a wrong token was typed on the page");
        time::sleep(WRONG_TOKEN).await;
        return (StatusCode::UNAUTHORIZED, text("text/html; charset=utf-8", ASK)).into_response();
    }
    (StatusCode::SEE_OTHER, [(header::SET_COOKIE, token.cookie()), (header::LOCATION, "/".to_owned())]).into_response()
}

async fn points(Of(state): Of<State>) -> Response {
    axum::Json(state.shown.snapshot()).into_response()
}

async fn all_metrics(Of(state): Of<State>) -> Response {
    text(metrics::CONTENT_TYPE, metrics::text(&state.shown.snapshot()))
}

async fn all_events(Of(state): Of<State>) -> Response {
    let alive = KeepAlive::new().interval(Duration::from_secs(5)).text("alive");
    Sse::new(events::stream(state.newest)).keep_alive(alive).into_response()
}

/// What an output is set to.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Wanted {
    #[serde(deserialize_with = "given")]
    value: Option<bool>,
}

/// `true`, `false` or `null`, which must be there.
fn given<'de, D: serde::Deserializer<'de>>(reader: D) -> Result<Option<bool>, D::Error> {
    Option::deserialize(reader)
}

async fn set(Of(state): Of<State>, Path(name): Path<String>, body: Bytes) -> Response {
    let Some(set) = &state.set else { return StatusCode::NOT_FOUND.into_response() };
    let wanted: Wanted = match serde_json::from_slice(&body) {
        Ok(wanted) => wanted,
        Err(_) => {
            let why = "Send {\"value\":true}, {\"value\":false}, or {\"value\":null} to let the output go.";
            return refused(StatusCode::BAD_REQUEST, why);
        }
    };
    match set.set(&name, wanted.value) {
        Ok(()) => {
            let what = wanted.value.map_or("let go", |on| if on { "switched on" } else { "switched off" });
            tracing::info!("{name} was {what} by hand");
            StatusCode::NO_CONTENT.into_response()
        }
        Err(error @ SetError::Unknown(_)) => refused(StatusCode::NOT_FOUND, &error.to_string()),
        Err(error @ SetError::NoOutput(_)) => refused(StatusCode::CONFLICT, &error.to_string()),
        Err(error @ SetError::NotTaken) => refused(StatusCode::SERVICE_UNAVAILABLE, &error.to_string()),
    }
}
