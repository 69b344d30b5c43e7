//! One route as its door knows it.

use harbor_core::house::permissions::Permission;
use harbor_store::people::whose::Whose;

/// Who may use a route, and whose record it reaches.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Access {
    /// Everybody, signed in or not.
    Public,
    /// Strangers who were given an address, so many times a minute from one machine.
    Stranger,
    /// Whoever has a session, also a locked one: to see that it is locked, to open it, to end it.
    Session,
    /// Everybody who works here.
    SignedIn,
    /// Whoever has the permission; no record of a patient is reached by its id.
    Needs(Permission),
    /// Whoever has the permission, to somebody's record outside the chart. A look at it is recorded.
    Of(Permission, Whose),
    /// Whoever has the permission, to somebody's chart: under restriction it is opened with a reason first. A look at
    /// it is recorded.
    Chart(Permission, Whose),
    /// Opens a restricted chart, or says that it is one.
    Restriction(Permission, Whose),
}

impl Access {
    pub const fn permission(self) -> Option<Permission> {
        match self {
            Access::Needs(p) | Access::Of(p, _) | Access::Chart(p, _) | Access::Restriction(p, _) => Some(p),
            Access::Public | Access::Stranger | Access::Session | Access::SignedIn => None,
        }
    }

    pub const fn whose(self) -> Whose {
        match self {
            Access::Of(_, whose) | Access::Chart(_, whose) | Access::Restriction(_, whose) => whose,
            _ => Whose::Nobody,
        }
    }
}

/// One route of the table.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Route {
    /// As Actix calls it: get, post, put, patch, delete.
    pub method: &'static str,
    pub pattern: &'static str,
    pub access: Access,
    /// Bytes that a body may have.
    pub body: usize,
}
