//! One file for each command: its arguments, and what it does.

pub(crate) mod approve;
pub(crate) mod audit;
pub(crate) mod cage;
pub(crate) mod capture;
pub(crate) mod company;
pub(crate) mod compare;
pub(crate) mod completions;
pub(crate) mod decisions;
pub(crate) mod demo;
pub(crate) mod explain;
mod explain_policy;
pub(crate) mod fail;
pub(crate) mod inventory;
pub(crate) mod man;
pub(crate) mod read;
pub(crate) mod refuse;
pub(crate) mod render;
pub(crate) mod renew;
pub(crate) mod repair;
pub(crate) mod review;
pub(crate) mod revoke;
pub(crate) mod stand_in;
pub(crate) mod waive;
pub(crate) mod watch;
