//! The panel of the benches.

use flindo_core::panel::five::LabelFigures;

pub const LABEL: LabelFigures = LabelFigures {
    voc_v: 37.5,
    isc_a: 8.6,
    vmp_v: 30.6,
    imp_a: 8.17,
    cells_in_series: 60.0,
    alpha_isc_a_per_k: 0.0043,
    beta_voc_v_per_k: -0.12,
};
