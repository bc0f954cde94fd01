//! Modbus TCP: figures in registers that the person describes.

use crate::session::{Ended, Heard, PATIENCE, connect, tell, tell_figure};
use crate::source::{Kind, Register, Table};
use std::time::Duration;
use tokio::sync::mpsc;
use tokio_modbus::client::{Context, Reader, tcp};
use tokio_modbus::slave::Slave;

pub(crate) async fn session(address: &str, unit: u8, registers: &[Register], poll: Duration, out: &mpsc::Sender<Heard>) -> Ended {
    match talk(address, unit, registers, poll, out).await {
        Ok(never) => match never {},
        Err(ended) => ended,
    }
}

async fn talk(
    address: &str,
    unit: u8,
    registers: &[Register],
    poll: Duration,
    out: &mpsc::Sender<Heard>,
) -> Result<std::convert::Infallible, Ended> {
    let mut device = tcp::attach_slave(connect(address).await?, Slave(unit));
    tell(out, Heard::Connected(String::new())).await?;
    let mut ticks = tokio::time::interval(poll);
    ticks.set_missed_tick_behavior(tokio::time::MissedTickBehavior::Delay);
    loop {
        ticks.tick().await;
        for register in registers {
            match read(&mut device, register).await? {
                Ok(words) => tell_figure(out, register.quantity, value(register.kind, &words) * register.scale, None).await?,
                Err(refusal) => tell(out, Heard::Rubbish(format!("register {}: {refusal}", register.address))).await?,
            }
        }
    }
}

/// The words of a register, or the device's own refusal.
async fn read(device: &mut Context, register: &Register) -> Result<Result<Vec<u16>, String>, Ended> {
    let (address, words) = (register.address, register.kind.words());
    let answer = async {
        match register.table {
            Table::Holding => device.read_holding_registers(address, words).await,
            Table::Input => device.read_input_registers(address, words).await,
        }
    };
    let answer = tokio::time::timeout(PATIENCE, answer).await.map_err(|_| Ended::Late(PATIENCE.as_secs()))?;
    match answer {
        Ok(Ok(read)) if read.len() == usize::from(words) => Ok(Ok(read)),
        Ok(Ok(read)) => Ok(Err(format!("{} words in place of {words}", read.len()))),
        Ok(Err(exception)) => Ok(Err(exception.to_string())),
        Err(error) => Err(Ended::Refused(error.to_string())),
    }
}

fn value(kind: Kind, words: &[u16]) -> f64 {
    let long = || u32::from(words[0]) << 16 | u32::from(words[1]);
    match kind {
        Kind::U16 => f64::from(words[0]),
        Kind::I16 => f64::from(words[0] as i16),
        Kind::U32 => f64::from(long()),
        Kind::I32 => f64::from(long() as i32),
        Kind::F32 => f64::from(f32::from_bits(long())),
    }
}

/// A number in the words of a register; the nearest that the type holds.
pub(crate) fn words(kind: Kind, number: f64) -> Vec<u16> {
    let long = |bits: u32| vec![(bits >> 16) as u16, bits as u16];
    match kind {
        Kind::U16 => vec![number.round() as u16],
        Kind::I16 => vec![number.round() as i16 as u16],
        Kind::U32 => long(number.round() as u32),
        Kind::I32 => long(number.round() as i32 as u32),
        Kind::F32 => long((number as f32).to_bits()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_type_reads_back_what_it_holds() {
        for (kind, number) in [
            (Kind::U16, 54_321.0),
            (Kind::I16, -1234.0),
            (Kind::U32, 3_000_000_000.0),
            (Kind::I32, -70_000.0),
            (Kind::F32, 18.4375),
        ] {
            assert_eq!(value(kind, &words(kind, number)), number);
        }
        // The higher word comes first.
        assert_eq!(words(Kind::U32, 65_536.0), [1, 0]);
    }
}
