//! What may be behind a level that differs from its prediction, by what was varied and by which way it differs. What a question asks about
//! (the age of a panel, the work of a controller) is a difference to be found, and stands first.

use crate::record::condition::Factor;

/// One thing that may be behind it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PossibleCause {
    /// Age or a fault of the panel itself.
    AgeOrFault,
    Dirt,
    LabelDiffers,
    /// It does not track, or its limit or battery holds it back.
    ControllerHoldsBack,
    LargerShade,
    SmallerShade,
    LightUnderEdge,
    DiodeFailed,
    JointOrLead,
    AnglesDiffer,
    SkyNotClear,
    ReflectedLight,
    /// Of what was varied, no narrower one is known.
    ConditionsDiffer,
}

/// The likely ones, the likeliest first. `is_less`: less than predicted, or more.
pub fn possible_causes(factor: Factor, is_less: bool) -> &'static [PossibleCause] {
    use PossibleCause as Of;
    match (factor, is_less) {
        (Factor::Shade | Factor::Covers, true) => &[Of::LargerShade, Of::DiodeFailed],
        (Factor::Shade | Factor::Covers, false) => &[Of::LightUnderEdge, Of::SmallerShade],
        (Factor::Wiring, true) => &[Of::JointOrLead, Of::LabelDiffers, Of::DiodeFailed],
        (Factor::Wiring, false) => &[Of::LabelDiffers],
        (Factor::Panel | Factor::Rig, true) => &[Of::AgeOrFault, Of::Dirt, Of::LabelDiffers],
        (Factor::Panel | Factor::Rig, false) => &[Of::LabelDiffers],
        (Factor::Load, true) => &[Of::ControllerHoldsBack],
        (Factor::Load, false) => &[Of::ConditionsDiffer],
        (Factor::Tilt | Factor::Azimuth, true) => &[Of::AnglesDiffer, Of::SkyNotClear],
        (Factor::Tilt | Factor::Azimuth, false) => &[Of::AnglesDiffer, Of::SkyNotClear, Of::ReflectedLight],
        (Factor::Face, true) => &[Of::ConditionsDiffer],
        (Factor::Face, false) => &[Of::ReflectedLight],
        (Factor::Sky | Factor::Temperature | Factor::MeasuredAt | Factor::Step | Factor::Day, _) => &[Of::ConditionsDiffer],
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Neither a shade's edge nor a bypass diode is behind an aged twin, a controller or a tilt; and what lets light through loses nothing.
    #[test]
    fn causes_fit_what_was_varied_and_the_way_it_differs() {
        let of_shade = [PossibleCause::LargerShade, PossibleCause::SmallerShade, PossibleCause::LightUnderEdge];
        for factor in
            [Factor::Panel, Factor::Rig, Factor::Load, Factor::Tilt, Factor::Azimuth, Factor::Wiring, Factor::Sky, Factor::Day]
        {
            for is_less in [true, false] {
                let causes = possible_causes(factor, is_less);
                assert!(!causes.is_empty() && causes.iter().all(|cause| !of_shade.contains(cause)), "{factor:?}: {causes:?}");
            }
        }
        for factor in [Factor::Shade, Factor::Covers] {
            assert!(!possible_causes(factor, true).contains(&PossibleCause::LightUnderEdge));
            assert!(!possible_causes(factor, false).contains(&PossibleCause::DiodeFailed));
        }
        assert_eq!(possible_causes(Factor::Panel, true)[0], PossibleCause::AgeOrFault);
        assert_eq!(possible_causes(Factor::Load, true), [PossibleCause::ControllerHoldsBack]);
    }
}
