//! Two panels that tests of other rooms take as they come; invented, of the figures that labels of their kind have.

use super::construction::Construction;
use super::five::{LabelFigures, fit};
use super::layout::Panel;

/// 200 W of 36 cells, in its own construction.
pub fn saffron() -> Panel {
    let label = LabelFigures {
        voc_v: 24.3,
        isc_a: 10.4,
        vmp_v: 20.4,
        imp_a: 9.81,
        cells_in_series: 36.0,
        alpha_isc_a_per_k: 0.005,
        beta_voc_v_per_k: -0.07,
    };
    Panel::new(fit(&label).unwrap(), Construction::Cells36)
}

/// 250 W of 60 cells, in any construction.
pub fn umber(construction: Construction) -> Panel {
    let label = LabelFigures {
        voc_v: 37.8,
        isc_a: 8.75,
        vmp_v: 30.4,
        imp_a: 8.22,
        cells_in_series: 60.0,
        alpha_isc_a_per_k: 0.0044,
        beta_voc_v_per_k: -0.121,
    };
    Panel::new(fit(&label).unwrap(), construction)
}
