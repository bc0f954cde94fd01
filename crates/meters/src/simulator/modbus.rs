//! A device with registers, over Modbus TCP.

use super::meter::SimulatedMeter;
use crate::modbus::words;
use crate::source::RegisterType;
use std::future::{Ready, ready};
use std::sync::Arc;
use tokio::net::TcpListener;
use tokio_modbus::server::Service;
use tokio_modbus::server::tcp::{Server, accept_tcp_connection};
use tokio_modbus::{ExceptionCode, Request, Response};

/// Its registers, holding and input alike: 0 volts in 0.01, 1 amps in 0.01, 2 and 3 watts as a float, 4 irradiance, 5 the back's
/// temperature in 0.1 (signed).
pub const MAP: &str = "0 u16 0.01 voltage_v; 1 u16 0.01 current_a; 2 f32 1 power_w; 4 u16 1 poa_w_m2; 5 i16 0.1 back_c";

struct Device(Arc<SimulatedMeter>);

impl Service for Device {
    type Request = Request<'static>;
    type Response = Response;
    type Exception = ExceptionCode;
    type Future = Ready<Result<Response, ExceptionCode>>;

    fn call(&self, request: Self::Request) -> Self::Future {
        ready(if let Request::ReadHoldingRegisters(address, count) = request {
            self.read(address, count).map(Response::ReadHoldingRegisters)
        } else if let Request::ReadInputRegisters(address, count) = request {
            self.read(address, count).map(Response::ReadInputRegisters)
        } else {
            Err(ExceptionCode::IllegalFunction)
        })
    }
}

impl Device {
    fn read(&self, address: u16, count: u16) -> Result<Vec<u16>, ExceptionCode> {
        let seen = self.0.now().map_err(|_| ExceptionCode::ServerDeviceFailure)?;
        let mut all = words(RegisterType::U16, seen.voltage_v * 100.0);
        all.extend(words(RegisterType::U16, seen.current_a * 100.0));
        all.extend(words(RegisterType::F32, seen.power_w));
        all.extend(words(RegisterType::U16, seen.poa_w_m2));
        all.extend(words(RegisterType::I16, seen.back_c * 10.0));
        let from = usize::from(address);
        all.get(from..from + usize::from(count)).map(<[u16]>::to_vec).ok_or(ExceptionCode::IllegalDataAddress)
    }
}

/// Serves until it is dropped.
pub async fn serve_modbus(listener: TcpListener, device: Arc<SimulatedMeter>) -> std::io::Result<()> {
    let server = Server::new(listener);
    let on_connected = |stream, address| {
        let device = device.clone();
        async move { accept_tcp_connection(stream, address, move |_| Ok(Some(Device(device.clone())))) }
    };
    server.serve(&on_connected, |error| tracing::debug!(%error, "a listener of the stand-in left")).await
}
