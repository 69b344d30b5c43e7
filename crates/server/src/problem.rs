//! Errors as RFC 9457 problem documents: a stable type, a sentence a person can act on, the fields at fault.

use actix_web::http::StatusCode;
use actix_web::{HttpResponse, ResponseError, web};
use harbor_core::claims::assembling::ClaimLacks;
use harbor_core::fields::Faults;
use harbor_core::schedule::Question;
use harbor_store::{StoreError, codes};
use serde::Serialize;
use std::fmt;
use utoipa::ToSchema;

#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct FieldProblem {
    pub field: String,
    pub sentence: String,
}

#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Problem {
    /// `urn:indigo-harbor:` and a stable word.
    #[serde(rename = "type")]
    pub kind: String,
    pub title: &'static str,
    pub status: u16,
    /// What a person can do about it.
    pub detail: String,
    pub fields: Vec<FieldProblem>,
    /// What the record holds now, when somebody else saved first.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub current: Option<Box<serde_json::Value>>,
    /// After so many seconds it may be tried again.
    #[serde(skip)]
    pub retry_after: Option<u32>,
    /// The connection ends with the answer: what was being sent on it is not wanted.
    #[serde(skip)]
    pub hangs_up: bool,
}

impl Problem {
    pub fn new(status: StatusCode, kind: &str, detail: impl Into<String>) -> Problem {
        Problem {
            kind: format!("urn:indigo-harbor:{kind}"),
            title: status.canonical_reason().unwrap_or("Problem"),
            status: status.as_u16(),
            detail: detail.into(),
            fields: vec![],
            current: None,
            retry_after: None,
            hangs_up: false,
        }
    }

    pub fn and_hang_up(self) -> Problem {
        Problem { hangs_up: true, ..self }
    }

    /// Too much at once, or too many wrong tries: again in so many seconds.
    pub fn throttled(seconds: i64, detail: impl Into<String>) -> Problem {
        let problem = Problem::new(StatusCode::TOO_MANY_REQUESTS, "throttled", detail);
        Problem { retry_after: Some(u32::try_from(seconds).unwrap_or(1).max(1)), ..problem }
    }

    pub fn refused(kind: &str, detail: impl Into<String>) -> Problem {
        Problem::new(StatusCode::UNPROCESSABLE_ENTITY, kind, detail)
    }

    /// Whether it is of this stable type.
    pub fn is(&self, kind: &str) -> bool {
        self.kind.strip_prefix("urn:indigo-harbor:") == Some(kind)
    }

    /// What came is not what the API document says.
    pub fn unreadable(what: &str, why: impl fmt::Display) -> Problem {
        Problem::new(StatusCode::BAD_REQUEST, "unreadable", format!("The {what} cannot be read: {why}"))
    }

    pub fn not_found(what: &str) -> Problem {
        Problem::new(StatusCode::NOT_FOUND, "not-found", format!("There is no such {what}."))
    }

    /// A chart under restriction that the one who asks has not opened.
    pub fn restricted_chart() -> Problem {
        Problem::new(
            StatusCode::FORBIDDEN,
            "restricted-chart",
            "This chart is under restriction. It opens with a reason, which is recorded and told to the manager.",
        )
    }

    pub fn field(field: &str, sentence: impl Into<String>) -> Problem {
        let mut faults = Faults::default();
        faults.add(field, sentence);
        faults.into()
    }
}

/// What is asked before a visit is booked, in `current` of a problem of the type `ask-first`: it goes through when the
/// same is sent again with these doubts among what is `meant`.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct BookingQuestion {
    pub doubt: codes::Doubt,
    pub sentence: String,
}

impl From<&Question> for BookingQuestion {
    fn from(question: &Question) -> BookingQuestion {
        BookingQuestion { doubt: question.doubt.into(), sentence: question.sentence.clone() }
    }
}

impl fmt::Display for Problem {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} {}", self.status, self.kind)
    }
}

impl std::error::Error for Problem {}

impl ResponseError for Problem {
    fn status_code(&self) -> StatusCode {
        StatusCode::from_u16(self.status).unwrap_or(StatusCode::INTERNAL_SERVER_ERROR)
    }

    fn error_response(&self) -> HttpResponse {
        let mut answer = HttpResponse::build(self.status_code());
        answer.content_type("application/problem+json");
        if let Some(seconds) = self.retry_after {
            answer.insert_header(("retry-after", seconds.to_string()));
        }
        if self.hangs_up {
            answer.force_close();
        }
        answer.json(self)
    }
}

impl From<Faults> for Problem {
    fn from(faults: Faults) -> Problem {
        let sentences: Vec<String> = faults.0.iter().map(|f| f.sentence.clone()).collect();
        Problem {
            fields: faults.0.into_iter().map(|f| FieldProblem { field: f.field, sentence: f.sentence }).collect(),
            ..Problem::refused("fields", sentences.join(" "))
        }
    }
}

impl From<ClaimLacks> for Problem {
    fn from(lacks: ClaimLacks) -> Problem {
        Problem::refused(lacks.code(), lacks.to_string())
    }
}

impl From<StoreError> for Problem {
    fn from(error: StoreError) -> Problem {
        match error {
            StoreError::NotFound(what) => Problem::not_found(what),
            StoreError::Refused { code, sentence } => {
                let status = if matches!(code, "taken" | "room_occupied" | "posted_before" | "try_again") {
                    StatusCode::CONFLICT
                } else {
                    StatusCode::UNPROCESSABLE_ENTITY
                };
                Problem::new(status, &code.replace('_', "-"), sentence)
            }
            StoreError::Stale { current } => Problem {
                current: Some(Box::new(current)),
                ..Problem::new(
                    StatusCode::CONFLICT,
                    "stale",
                    "Somebody else saved this in the meantime. Compare, then save again.",
                )
            },
            StoreError::AskFirst(questions) => Problem {
                current: serde_json::to_value(questions.iter().map(BookingQuestion::from).collect::<Vec<_>>())
                    .ok()
                    .map(Box::new),
                ..Problem::refused("ask-first", StoreError::AskFirst(questions).to_string())
            },
            StoreError::Unreachable(why) => {
                tracing::error!(why, "database unreachable");
                Problem::new(
                    StatusCode::SERVICE_UNAVAILABLE,
                    "database",
                    "The database cannot be reached; try again in a moment.",
                )
            }
            StoreError::Database(error) => {
                if cfg!(debug_assertions) {
                    eprintln!("database error: {error}");
                }
                tracing::error!(error = StoreError::Database(error).for_log(), "not done");
                Problem::new(
                    StatusCode::INTERNAL_SERVER_ERROR,
                    "internal",
                    "Something went wrong here; nothing was saved.",
                )
            }
        }
    }
}

pub fn json_config() -> web::JsonConfig {
    // The door has read the body already, as much as the route takes.
    web::JsonConfig::default().limit(usize::MAX).error_handler(|e, _| Problem::unreadable("request", e).into())
}

pub fn query_config() -> web::QueryConfig {
    web::QueryConfig::default().error_handler(|e, _| Problem::unreadable("question", e).into())
}

pub fn path_config() -> web::PathConfig {
    web::PathConfig::default().error_handler(|_, _| Problem::not_found("thing").into())
}

/// What a handler gives.
pub type Answer<T> = Result<web::Json<T>, Problem>;
