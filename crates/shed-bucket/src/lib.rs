//! A stand-in for object storage: one bucket in memory, behind an HTTP server on loopback that speaks as much of the S3
//! interface as a reader and a writer of objects need. It can misbehave on request, in the ways that real stores do.

mod faults;
mod listing;
mod objects;
mod server;
mod uploads;

pub use faults::{Fault, Faults};
pub use objects::Object;
pub use server::{Requests, Server};
