//! How panels are built, by name; where their cells lie is the business of [`super::layout`].

use crate::named::named;

/// Constructions by name. Numbers are cells; a half-cut panel counts its halves.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Construction {
    Cells36,
    Cells54,
    #[default]
    Cells60,
    Cells72,
    HalfCut108,
    HalfCut120,
    HalfCut144,
    /// 72 small cells in two strings of 36 side by side.
    TwoStrings72,
    Shingled,
    /// Long cells across the whole face, one diode.
    ThinFilmOneDiode,
    /// The same with a diode for every tenth of them.
    ThinFilmManyDiodes,
    /// 36 cells, each with a diode of its own.
    DiodeEachCell,
}

named!(Construction {
    Cells36 = "cells_36", "36 cells, 2 diodes";
    Cells54 = "cells_54", "54 cells, 3 diodes";
    Cells60 = "cells_60", "60 cells, 3 diodes";
    Cells72 = "cells_72", "72 cells, 3 diodes";
    HalfCut108 = "half_cut_108", "half-cut, 108 cells in two halves";
    HalfCut120 = "half_cut_120", "half-cut, 120 cells in two halves";
    HalfCut144 = "half_cut_144", "half-cut, 144 cells in two halves";
    TwoStrings72 = "two_strings_72", "72 small cells in two strings of 36";
    Shingled = "shingled", "shingled, six strips side by side";
    ThinFilmOneDiode = "thin_film_one_diode", "thin film, 80 long cells, one diode";
    ThinFilmManyDiodes = "thin_film_many_diodes", "thin film, 80 long cells, ten diodes";
    DiodeEachCell = "diode_each_cell", "36 cells, a diode at each";
});

impl Construction {
    /// The likeliest one of a label with this many cells in series.
    pub fn likely(cells_in_series: Option<u32>, is_thin_film: bool) -> Self {
        if is_thin_film {
            return Construction::ThinFilmManyDiodes;
        }
        match cells_in_series.unwrap_or(60) {
            0..=40 => Construction::Cells36,
            41..=56 => Construction::HalfCut108,
            57..=63 => Construction::Cells60,
            _ => Construction::Cells72,
        }
    }
}
