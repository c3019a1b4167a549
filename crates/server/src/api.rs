//! Routes and what is said of them, in one place each: the OpenAPI document is made from what is routed.
//!
//! Our own and not a crate's: `aide` (0.15) speaks an earlier `schemars` than the scene's schema, and `utoipa` would
//! need a second schema of every type.
use crate::problem::Problem;
use crate::state::App;
use axum::Router;
use axum::handler::Handler;
use axum::routing::{MethodFilter, on};
use schemars::generate::SchemaSettings;
use schemars::{JsonSchema, SchemaGenerator};
use serde_json::{Map, Value, json};

/// What goes in or comes out: its media types with their schemas.
type Content = fn(&mut SchemaGenerator) -> Value;

/// What a route does, what it takes and what it gives.
pub struct Says {
    summary: &'static str,
    takes: Option<Content>,
    asks: Option<Content>,
    gives: Content,
    status: &'static str,
}

impl Says {
    /// Gives JSON.
    pub fn gives<T: JsonSchema>(summary: &'static str) -> Says {
        Says { summary, takes: None, asks: None, gives: json_of::<T>, status: "200" }
    }

    /// Gives bytes, or what else is no JSON.
    pub fn gives_bytes(summary: &'static str) -> Says {
        Says { summary, takes: None, asks: None, gives: bytes, status: "200" }
    }

    pub fn takes<T: JsonSchema>(self) -> Says {
        Says { takes: Some(json_of::<T>), ..self }
    }

    pub fn takes_bytes(self) -> Says {
        Says { takes: Some(bytes), ..self }
    }

    /// The address' query.
    pub fn asks<T: JsonSchema>(self) -> Says {
        Says { asks: Some(|g| g.subschema_for::<T>().to_value()), ..self }
    }

    pub fn status(self, status: &'static str) -> Says {
        Says { status, ..self }
    }
}

struct Operation {
    method: &'static str,
    path: &'static str,
    says: Says,
}

/// Routes with what is said of each. There is no way to add one without.
#[derive(Default)]
pub struct Api {
    router: Router<App>,
    operations: Vec<Operation>,
}

impl Api {
    fn on<H, T>(
        mut self,
        filter: MethodFilter,
        method: &'static str,
        path: &'static str,
        says: Says,
        to: H,
    ) -> Api
    where
        H: Handler<T, App>,
        T: 'static,
    {
        self.router = self.router.route(path, on(filter, to));
        self.operations.push(Operation { method, path, says });
        self
    }

    pub fn get<H: Handler<T, App>, T: 'static>(self, path: &'static str, says: Says, to: H) -> Api {
        self.on(MethodFilter::GET, "get", path, says, to)
    }
    pub fn post<H: Handler<T, App>, T: 'static>(self, path: &'static str, says: Says, to: H) -> Api {
        self.on(MethodFilter::POST, "post", path, says, to)
    }
    pub fn put<H: Handler<T, App>, T: 'static>(self, path: &'static str, says: Says, to: H) -> Api {
        self.on(MethodFilter::PUT, "put", path, says, to)
    }
    pub fn patch<H: Handler<T, App>, T: 'static>(self, path: &'static str, says: Says, to: H) -> Api {
        self.on(MethodFilter::PATCH, "patch", path, says, to)
    }
    pub fn delete<H: Handler<T, App>, T: 'static>(self, path: &'static str, says: Says, to: H) -> Api {
        self.on(MethodFilter::DELETE, "delete", path, says, to)
    }

    pub fn and(mut self, more: Api) -> Api {
        self.router = self.router.merge(more.router);
        self.operations.extend(more.operations);
        self
    }

    pub fn router(self) -> Router<App> {
        self.router
    }

    /// The OpenAPI 3.1 document of all that is routed: the types of the pages are made from it. `more` adds schemas of
    /// what travels inside bytes.
    pub fn document(&self, more: impl FnOnce(&mut SchemaGenerator)) -> Value {
        let mut g = SchemaSettings::draft2020_12()
            .with(|s| s.definitions_path = "/components/schemas".into())
            .into_generator();
        let mut paths = Map::new();
        for Operation { method, path, says } in &self.operations {
            let problem =
                json!({"application/problem+json": {"schema": {"$ref": "#/components/schemas/Problem"}}});
            let done = json!({"description": "done", "content": (says.gives)(&mut g)});
            let mut op = json!({
                "summary": says.summary,
                "responses": {says.status: done, "default": {"description": "what went wrong", "content": problem}},
            });
            let mut parameters: Vec<Value> = path
                .split('/')
                .filter_map(|s| s.strip_prefix('{')?.strip_suffix('}'))
                .map(|n| {
                    let kind = if ["body", "collider", "figure", "format", "map"].contains(&n) {
                        "string"
                    } else {
                        "integer"
                    };
                    json!({"name": n, "in": "path", "required": true, "schema": {"type": kind}})
                })
                .collect();
            if let Some(asks) = says.asks {
                // The query's type is an object: its properties are the parameters.
                let name =
                    asks(&mut g)["$ref"].as_str().and_then(|r| r.rsplit('/').next()).unwrap_or("").to_owned();
                let schema = g.definitions().get(&name).cloned().unwrap_or_default();
                let required = schema["required"].as_array().cloned().unwrap_or_default();
                for (name, schema) in schema["properties"].as_object().cloned().unwrap_or_default() {
                    let needed = required.contains(&json!(name));
                    parameters
                        .push(json!({"name": name, "in": "query", "required": needed, "schema": schema}));
                }
            }
            op["parameters"] = parameters.into();
            if let Some(takes) = says.takes {
                op["requestBody"] = json!({"required": true, "content": takes(&mut g)});
            }
            paths.entry(format!("/api{path}")).or_insert_with(|| json!({}))[method] = op;
        }
        g.subschema_for::<Problem>();
        more(&mut g);
        let schemas = g.take_definitions(true);
        json!({"openapi": "3.1.0", "info": {"title": "Nematon", "version": env!("CARGO_PKG_VERSION")},
               "paths": paths, "components": {"schemas": schemas}})
    }
}

fn json_of<T: JsonSchema>(g: &mut SchemaGenerator) -> Value {
    json!({"application/json": {"schema": g.subschema_for::<T>()}})
}

fn bytes(_: &mut SchemaGenerator) -> Value {
    json!({"application/octet-stream": {"schema": {"type": "string", "format": "binary"}}})
}
