//! The rows of a bench as plain data. The topics of the store read and write them; nothing here knows a database but to turn its rows into
//! values.

pub mod gear;
pub mod kind;
pub mod log;
pub mod log_file;
pub mod panel;
pub mod place;
pub mod reading;
pub mod register;
pub mod rig;
pub mod test;
