//! Where a meter is and what it is asked for.

use flindo_core::gear::meter::{Interface, Meter};
use flindo_core::measure::quantity::Quantity;
use std::path::PathBuf;
use std::time::Duration;

/// Five a second, unless the meter is slower.
const POLL: Duration = Duration::from_millis(200);

/// One meter to listen to.
#[derive(Debug, Clone, PartialEq)]
pub enum Source {
    Scpi { address: String, queries: Vec<Query>, poll: Duration },
    Lines { address: String, columns: Vec<Option<Column>> },
    File { path: PathBuf, columns: Vec<Option<Column>>, poll: Duration },
    Modbus { address: String, unit: u8, registers: Vec<Register>, poll: Duration },
}

/// One question in SCPI and what its answer is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Query {
    pub quantity: Quantity,
    pub text: String,
}

/// What one column of a line is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Column {
    /// RFC 3339, or seconds since 1970.
    Time,
    Of(Quantity),
}

/// One figure in a device's registers.
#[derive(Debug, Clone, PartialEq)]
pub struct Register {
    pub table: Table,
    /// As on the wire, from 0.
    pub address: u16,
    pub kind: RegisterType,
    pub order: Order,
    /// The figure is the register's number times this.
    pub scale: f64,
    pub quantity: Quantity,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Table {
    Holding,
    Input,
}

/// In which order the words of a number, and the bytes of each word, come. Modbus says higher first; not every device does.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Order {
    pub low_word_first: bool,
    pub low_byte_first: bool,
}

/// What a number in registers of 16 bits is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RegisterType {
    U16,
    I16,
    U32,
    I32,
    F32,
}

impl RegisterType {
    pub fn words(self) -> u16 {
        match self {
            RegisterType::U16 | RegisterType::I16 => 1,
            RegisterType::U32 | RegisterType::I32 | RegisterType::F32 => 2,
        }
    }
}

impl Source {
    /// From the entry of a meter; `None` for one that is not listened to. The error is a sentence.
    pub fn of(meter: &Meter) -> Result<Option<Self>, String> {
        let address = meter.address.clone();
        Ok(Some(match meter.speaks {
            Interface::Nothing => return Ok(None),
            Interface::Scpi => Source::Scpi { address, queries: queries(&meter.map)?, poll: POLL },
            Interface::Lines => Source::Lines { address, columns: columns(&meter.map)? },
            Interface::File => Source::File { path: PathBuf::from(address), columns: columns(&meter.map)?, poll: POLL },
            Interface::ModbusTcp => {
                let (unit, registers) = registers(&meter.map)?;
                Source::Modbus { address, unit, registers, poll: POLL }
            }
        }))
    }
}

impl Source {
    /// Its address, or the path of its file.
    pub fn place(&self) -> String {
        match self {
            Source::Scpi { address, .. } | Source::Lines { address, .. } | Source::Modbus { address, .. } => address.clone(),
            Source::File { path, .. } => path.display().to_string(),
        }
    }
}

fn parts(map: &str) -> impl Iterator<Item = &str> {
    map.split([';', '\n']).map(str::trim).filter(|part| !part.is_empty())
}

fn quantity(name: &str) -> Result<Quantity, String> {
    Quantity::from_name(name).ok_or_else(|| {
        let known: Vec<&str> = Quantity::ALL.iter().map(|quantity| quantity.name()).collect();
        format!("\"{name}\" is not a quantity: use {}.", known.join(", "))
    })
}

/// "voltage_v MEAS:VOLT:DC?; current_a MEAS:CURR:DC?"; the two of these where the map is empty.
fn queries(map: &str) -> Result<Vec<Query>, String> {
    let written: Vec<Query> = parts(map)
        .map(|part| {
            let (name, text) = part
                .split_once(char::is_whitespace)
                .ok_or_else(|| format!("\"{part}\" has to be a quantity and a question, such as voltage_v MEAS:VOLT:DC?"))?;
            let text = text.trim();
            if !text.ends_with('?') || !text.is_ascii() || text.contains(['\r', '\n']) {
                return Err(format!("\"{text}\" is not a question: it has to end in ?"));
            }
            Ok(Query { quantity: quantity(name)?, text: text.to_owned() })
        })
        .collect::<Result<_, _>>()?;
    if !written.is_empty() {
        return Ok(written);
    }
    let query = |quantity, text: &str| Query { quantity, text: text.to_owned() };
    Ok(vec![query(Quantity::Voltage, "MEAS:VOLT:DC?"), query(Quantity::Current, "MEAS:CURR:DC?")])
}

/// "time_utc; voltage_v; -; current_a"; empty where the first line of the meter names them. A hyphen is a column to leave out.
pub(crate) fn columns(map: &str) -> Result<Vec<Option<Column>>, String> {
    map.split([';', '\n', ',']).map(str::trim).filter(|part| !part.is_empty()).map(column).collect()
}

fn column(name: &str) -> Result<Option<Column>, String> {
    match name {
        "-" => Ok(None),
        "time_utc" => Ok(Some(Column::Time)),
        name => quantity(name).map(|quantity| Some(Column::Of(quantity))),
    }
}

/// The columns that a line names, if it is a line of names: one of them at least is known.
pub(crate) fn header(line: &str) -> Option<Vec<Option<Column>>> {
    let named: Vec<Option<Column>> = line.split(',').map(|name| column(name.trim()).ok().flatten()).collect();
    named.iter().any(|column| matches!(column, Some(Column::Of(_)))).then_some(named)
}

/// "0 u16 0.01 voltage_v; input 4 f32 1 power_w low_word_first; unit 3".
fn registers(map: &str) -> Result<(u8, Vec<Register>), String> {
    let (mut unit, mut found) = (1, Vec::new());
    for part in parts(map) {
        let words: Vec<&str> = part.split_whitespace().collect();
        let wrong = || format!("\"{part}\" has to be address, type, scale and quantity, such as 0 u16 0.01 voltage_v");
        if let ["unit", number] = words[..] {
            unit = number.parse().map_err(|_| format!("\"{number}\" is not the number of a unit: 0 to 255."))?;
            continue;
        }
        let (table, words) = match words.split_first() {
            Some((&"input", rest)) => (Table::Input, rest),
            Some((&"holding", rest)) => (Table::Holding, rest),
            _ => (Table::Holding, &words[..]),
        };
        let [address, kind, scale, name, orders @ ..] = words else { return Err(wrong()) };
        let mut order = Order::default();
        for word in orders {
            match *word {
                "low_word_first" => order.low_word_first = true,
                "low_byte_first" => order.low_byte_first = true,
                other => return Err(format!("\"{other}\" is not an order: use low_word_first or low_byte_first.")),
            }
        }
        let kind = match *kind {
            "u16" => RegisterType::U16,
            "i16" => RegisterType::I16,
            "u32" => RegisterType::U32,
            "i32" => RegisterType::I32,
            "f32" => RegisterType::F32,
            other => return Err(format!("\"{other}\" is not a type of register: use u16, i16, u32, i32 or f32.")),
        };
        let scale: f64 = scale.parse().map_err(|_| wrong())?;
        if !scale.is_finite() || scale == 0.0 {
            return Err(format!("\"{part}\": the scale has to be a number other than 0."));
        }
        found.push(Register {
            table,
            address: address.parse().map_err(|_| wrong())?,
            kind,
            order,
            scale,
            quantity: quantity(name)?,
        });
    }
    if found.is_empty() {
        return Err("Describe the registers: address, type, scale and quantity of each, such as 0 u16 0.01 voltage_v".to_owned());
    }
    Ok((unit, found))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn registers_are_described_in_a_line() {
        let (unit, found) = registers("0 u16 0.01 voltage_v; input 4 f32 1 power_w low_word_first\nunit 3").unwrap();
        assert_eq!((unit, found.len()), (3, 2));
        assert_eq!(
            found[1],
            Register {
                table: Table::Input,
                address: 4,
                kind: RegisterType::F32,
                order: Order { low_word_first: true, low_byte_first: false },
                scale: 1.0,
                quantity: Quantity::Power
            }
        );
        for (map, part) in [
            ("", "Describe the registers"),
            ("0 u16 voltage_v", "address, type, scale"),
            ("0 u8 1 voltage_v", "\"u8\" is not a type"),
            ("0 u16 0 voltage_v", "other than 0"),
            ("0 u16 1 volts", "\"volts\" is not a quantity"),
            ("70000 u16 1 voltage_v", "address, type"),
            ("0 u32 1 voltage_v sideways", "\"sideways\" is not an order"),
            ("unit 900; 0 u16 1 voltage_v", "0 to 255"),
        ] {
            assert!(registers(map).unwrap_err().contains(part), "{map}: {:?}", registers(map));
        }
    }

    #[test]
    fn columns_come_from_the_map_or_from_the_first_line() {
        assert_eq!(
            columns("time_utc; voltage_v; -; current_a").unwrap(),
            [Some(Column::Time), Some(Column::Of(Quantity::Voltage)), None, Some(Column::Of(Quantity::Current))]
        );
        assert_eq!(columns("").unwrap(), []);
        assert!(columns("volts").is_err());
        assert_eq!(header("time_utc,voltage_v,colour").unwrap(), [Some(Column::Time), Some(Column::Of(Quantity::Voltage)), None]);
        assert_eq!(header("12.1,3.4"), None);
    }

    #[test]
    fn questions_are_written_or_usual() {
        assert_eq!(queries("").unwrap().len(), 2);
        assert_eq!(queries("power_w FETC:POW?").unwrap(), [Query { quantity: Quantity::Power, text: "FETC:POW?".into() }]);
        assert!(queries("power_w *RST").unwrap_err().contains("end in ?"));
        assert!(queries("power_w").is_err());
    }
}
