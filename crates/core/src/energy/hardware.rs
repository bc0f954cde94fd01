//! Is the tilting hardware worth it?

/// What a change of tilt earns and costs.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Hardware {
    /// What it costs once.
    pub price: f64,
    /// Minutes of climbing for each change.
    pub minutes_per_change: f64,
    /// What an hour of climbing is worth.
    pub hour_price: f64,
    /// What a kWh is worth.
    pub kwh_price: f64,
}

/// A year of it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Worth {
    pub gained_kwh: f64,
    /// Worth of the energy less the climbing, in a year.
    pub yearly: f64,
    /// Years until the price is earned; `None` where it never is.
    pub years: Option<f64>,
}

impl Hardware {
    /// `gained_kwh` in a year, for `changes` of the tilt in it.
    pub fn worth(&self, gained_kwh: f64, changes: usize) -> Worth {
        let climbing = changes as f64 * self.minutes_per_change / 60.0 * self.hour_price;
        let yearly = gained_kwh * self.kwh_price - climbing;
        Worth { gained_kwh, yearly, years: (yearly > 0.0).then(|| self.price / yearly) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn hardware_that_costs_more_to_climb_than_it_earns_is_never_worth_it() {
        let hardware = Hardware { price: 120.0, minutes_per_change: 30.0, hour_price: 10.0, kwh_price: 0.25 };
        let worth = hardware.worth(100.0, 2);
        assert_eq!((worth.yearly, worth.years), (15.0, Some(8.0)));
        assert_eq!(hardware.worth(20.0, 4).years, None);
    }
}
