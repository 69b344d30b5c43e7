//! Every route, with who may use it: the one table, a file for each folder of the job, that the server, the permission
//! check and the API document are made of.

pub use crate::access::{Access, Route};
use actix_web::web;
use utoipa::OpenApi;

/// Bytes of a form; who takes files says so.
const FORM: usize = 256 << 10;

/// The routes of one folder: the part of the table that it adds, a door for each, and its part of the document.
macro_rules! table {
    ($($method:ident $pattern:literal $access:expr => $($part:ident)::+ $(, $limit:expr)?;)+) => {
        pub(super) const ROUTES: &[crate::routes::Route] = &[$(crate::routes::Route {
            method: stringify!($method),
            pattern: $pattern,
            access: $access,
            body: {
                #[allow(unused_mut, unused_assignments)]
                let mut body = crate::routes::FORM;
                $(body = $limit;)?
                body
            },
        }),+];

        /// Each route with its own door: no handler runs that a door did not let through, whatever the spelling of
        /// the address that led to it.
        pub(super) fn configure(config: &mut actix_web::web::ServiceConfig) {
            let mut doors = ROUTES.iter();
            $(if let Some(route) = doors.next() {
                config.route(
                    $pattern,
                    actix_web::web::$method().to($($part)::+).wrap(crate::access::door(route)),
                );
            })+
        }

        #[derive(utoipa::OpenApi)]
        #[openapi(paths($($($part)::+),+))]
        pub(super) struct Document;
    };
}

macro_rules! folders {
    ($($folder:ident)+) => {
        $(mod $folder;)+

        const FOLDERS: &[&[Route]] = &[$($folder::ROUTES),+];

        pub fn configure(config: &mut web::ServiceConfig) {
            $($folder::configure(config);)+
        }

        fn documents() -> Vec<utoipa::openapi::OpenApi> {
            vec![$($folder::Document::openapi()),+]
        }
    };
}

folders! { house people coverage schedule arrival visit_line consult orders prescribing charges claims money }

const COUNT: usize = {
    let (mut n, mut folder) = (0, 0);
    while folder < FOLDERS.len() {
        n += FOLDERS[folder].len();
        folder += 1;
    }
    n
};

/// Every route.
pub const ROUTES: &[Route] = &{
    let mut all = [FOLDERS[0][0]; COUNT];
    let (mut n, mut folder) = (0, 0);
    while folder < FOLDERS.len() {
        let mut at = 0;
        while at < FOLDERS[folder].len() {
            all[n] = FOLDERS[folder][at];
            n += 1;
            at += 1;
        }
        folder += 1;
    }
    all
};

// What reaches a chart says whose: a route that names a permission of the chart otherwise does not compile.
const _: () = {
    let mut n = 0;
    while n < ROUTES.len() {
        if let Access::Needs(p) | Access::Of(p, _) = ROUTES[n].access {
            assert!(!p.is_of_chart(), "a permission of the chart stands with Chart(permission, whose)");
        }
        n += 1;
    }
};

#[derive(utoipa::OpenApi)]
#[openapi(info(title = "Indigo Harbor", version = "1"), components(schemas(crate::problem::Problem)))]
struct Document;

/// The API document. Operations are named by method and address, since handlers of different nouns
/// bear the same short names.
pub fn document() -> utoipa::openapi::OpenApi {
    use utoipa::openapi::{RefOr, Schema};
    let mut document = Document::openapi();
    for folder in documents() {
        document.merge(folder);
    }
    let schemas = document.components.iter_mut().flat_map(|c| &mut c.schemas);
    for (name, schema) in schemas {
        // It is sent in part and answered whole; for the document what may be left out is not required.
        if let ("PersonForm", RefOr::T(Schema::Object(form))) = (name.as_str(), schema) {
            form.required.clear();
            for property in form.properties.values_mut() {
                if let RefOr::T(Schema::Object(field)) = property {
                    field.default = None;
                }
            }
        }
    }
    for (address, item) in &mut document.paths.paths {
        let name = address.replace("/api", "").replace(['/', '{', '}', '-'], "_");
        let operations = [
            ("get", &mut item.get),
            ("put", &mut item.put),
            ("post", &mut item.post),
            ("patch", &mut item.patch),
            ("delete", &mut item.delete),
        ];
        for (method, operation) in operations {
            if let Some(operation) = operation {
                operation.operation_id = Some(format!("{method}{name}"));
                if let Some(route) = ROUTES.iter().find(|r| r.method == method && r.pattern == address) {
                    declare_refusals(route, &mut operation.responses.responses);
                }
            }
        }
    }
    document
}

/// What the door of a route may answer, besides what its handler says.
fn refusals(route: &Route) -> Vec<(u16, &'static str)> {
    let mut all = vec![
        (400, "The address or what was sent cannot be read."),
        (421, "This server does not answer to that name."),
        (422, "A field or a question is at fault, or the rules of the job say no."),
        (503, "The database cannot be reached."),
    ];
    if !matches!(route.access, Access::Public | Access::Stranger) {
        all.push((401, "Nobody is signed in, or the screen is locked."));
        all.push((403, "The role may not, a second factor is wanted, or the chart is under restriction."));
    }
    if route.pattern.contains('{') {
        all.push((404, "There is no such thing."));
    }
    if matches!(route.access, Access::Stranger) {
        all.push((429, "Asked too often."));
    }
    if route.method != "get" {
        all.extend([
            (404, "Something that this refers to is not there."),
            (408, "What was sent did not arrive in time."),
            (409, "Somebody else was faster, or something is to be confirmed."),
            (413, "Larger than this route takes."),
            (415, "Sent packed, or of a kind that this route does not take."),
        ]);
    }
    all
}

fn declare_refusals(
    route: &Route,
    responses: &mut std::collections::BTreeMap<String, utoipa::openapi::RefOr<utoipa::openapi::Response>>,
) {
    use utoipa::openapi::{ContentBuilder, Ref, ResponseBuilder};
    for (status, description) in refusals(route) {
        let content = ContentBuilder::new().schema(Some(Ref::from_schema_name("Problem"))).build();
        let declared = ResponseBuilder::new().description(description).content("application/json", content).build();
        responses.entry(status.to_string()).or_insert_with(|| declared.into());
    }
}
