//! Modbus TCP: figures in registers that the person describes.

use crate::session::{Ear, Ended, PATIENCE, Received, connect, tell_figure};
use crate::source::{Order, Register, RegisterType, Table};
use std::time::Duration;
use tokio_modbus::client::{Client, Context, tcp};
use tokio_modbus::slave::Slave;
use tokio_modbus::{Request, Response};

pub(crate) async fn session(address: &str, unit: u8, registers: &[Register], poll: Duration, ear: &Ear) -> Ended {
    match talk(address, unit, registers, poll, ear).await {
        Ok(never) => match never {},
        Err(ended) => ended,
    }
}

async fn talk(
    address: &str,
    unit: u8,
    registers: &[Register],
    poll: Duration,
    ear: &Ear,
) -> Result<std::convert::Infallible, Ended> {
    let mut device = tcp::attach_slave(connect(address, ear).await?, Slave(unit));
    let mut is_first = true;
    let mut ticks = tokio::time::interval(poll);
    ticks.set_missed_tick_behavior(tokio::time::MissedTickBehavior::Delay);
    loop {
        ticks.tick().await;
        for register in registers {
            let answer = read(&mut device, register).await?;
            // A device is there when it has answered: an open port alone is none.
            if std::mem::take(&mut is_first) {
                ear.tell(Received::Connected(String::new())).await?;
            }
            match answer {
                Ok(words) => {
                    tell_figure(
                        ear,
                        register.quantity,
                        value(register.kind, &in_order(register.order, words)) * register.scale,
                        None,
                    )
                    .await?
                }
                Err(refusal) => {
                    ear.tell(Received::NoFigure(register.quantity, format!("register {}: {refusal}", register.address))).await?
                }
            }
        }
    }
}

/// The words of a register, or the device's own refusal. The call is put together here: the library's own shorter way counts on the device
/// to answer as many words as were asked for, and panics on one that does not.
async fn read(device: &mut Context, register: &Register) -> Result<Result<Vec<u16>, String>, Ended> {
    let (address, words) = (register.address, register.kind.words());
    let question = match register.table {
        Table::Holding => Request::ReadHoldingRegisters(address, words),
        Table::Input => Request::ReadInputRegisters(address, words),
    };
    let answer = tokio::time::timeout(PATIENCE, device.call(question)).await.map_err(|_| Ended::Late(PATIENCE.as_secs()))?;
    match answer {
        Ok(Ok(Response::ReadHoldingRegisters(read) | Response::ReadInputRegisters(read))) if read.len() == usize::from(words) => {
            Ok(Ok(read))
        }
        Ok(Ok(Response::ReadHoldingRegisters(read) | Response::ReadInputRegisters(read))) => {
            Ok(Err(format!("{} words in place of {words}", read.len())))
        }
        Ok(Ok(_)) => Err(Ended::Refused("it answers what was not asked".to_owned())),
        Ok(Err(exception)) => Ok(Err(exception.to_string())),
        Err(tokio_modbus::Error::Transport(error)) => Err(Ended::Io(error)),
        Err(tokio_modbus::Error::Protocol(error)) => Err(Ended::Refused(error.to_string())),
    }
}

/// The words as Modbus orders them: higher word first, higher byte first.
fn in_order(order: Order, mut words: Vec<u16>) -> Vec<u16> {
    if order.low_word_first {
        words.reverse();
    }
    if order.low_byte_first {
        words.iter_mut().for_each(|word| *word = word.swap_bytes());
    }
    words
}

fn value(kind: RegisterType, words: &[u16]) -> f64 {
    let long = || u32::from(words[0]) << 16 | u32::from(words[1]);
    match kind {
        RegisterType::U16 => f64::from(words[0]),
        RegisterType::I16 => f64::from(words[0] as i16),
        RegisterType::U32 => f64::from(long()),
        RegisterType::I32 => f64::from(long() as i32),
        RegisterType::F32 => f64::from(f32::from_bits(long())),
    }
}

/// A number in the words of a register; the nearest that the type holds.
pub(crate) fn words(kind: RegisterType, number: f64) -> Vec<u16> {
    let long = |bits: u32| vec![(bits >> 16) as u16, bits as u16];
    match kind {
        RegisterType::U16 => vec![number.round() as u16],
        RegisterType::I16 => vec![number.round() as i16 as u16],
        RegisterType::U32 => long(number.round() as u32),
        RegisterType::I32 => long(number.round() as i32 as u32),
        RegisterType::F32 => long((number as f32).to_bits()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_type_reads_back_what_it_holds() {
        for (kind, number) in [
            (RegisterType::U16, 54_321.0),
            (RegisterType::I16, -1234.0),
            (RegisterType::U32, 3_000_000_000.0),
            (RegisterType::I32, -70_000.0),
            (RegisterType::F32, 18.4375),
        ] {
            assert_eq!(value(kind, &words(kind, number)), number);
        }
        // 18.4375 is 0x41938000 (IEEE 754).
        for (low_word_first, low_byte_first, sent) in [
            (false, false, [0x4193, 0x8000]),
            (true, false, [0x8000, 0x4193]),
            (false, true, [0x9341, 0x0080]),
            (true, true, [0x0080, 0x9341]),
        ] {
            let order = Order { low_word_first, low_byte_first };
            assert_eq!(value(RegisterType::F32, &in_order(order, sent.to_vec())), 18.4375, "{order:?}");
        }
        // The higher word comes first.
        assert_eq!(words(RegisterType::U32, 65_536.0), [1, 0]);
    }
}
