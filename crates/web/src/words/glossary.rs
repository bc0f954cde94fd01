//! The glossary of the help page: the list of terms that the repository keeps.

/// As kept in the repository.
const TERMS: &str = include_str!("../../../../docs/terms.md");

/// A heading with its lines: the term, and what it means.
pub type Section = (&'static str, Vec<(String, String)>);

/// The sections of the list, in its order.
pub fn sections() -> Vec<Section> {
    let mut sections: Vec<Section> = Vec::new();
    for line in TERMS.lines() {
        if let Some(heading) = line.strip_prefix("## ") {
            sections.push((heading, Vec::new()));
        } else if let (Some(entry), Some((_, entries))) = (line.strip_prefix("- "), sections.last_mut()) {
            let (term, meaning) = entry.strip_prefix("**").and_then(|rest| rest.split_once("**")).unwrap_or((entry, ""));
            let meaning = meaning.trim_start_matches([',', ':', ';']).trim().replace("**", "");
            entries.push((term.trim_end_matches(':').to_owned(), meaning));
        }
    }
    sections
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_term_has_its_meaning() {
        let sections = sections();
        assert_eq!(
            sections.iter().map(|section| section.0).collect::<Vec<_>>(),
            ["Panel", "Sun and plane", "Array and gear", "Test and result"]
        );
        let find = |term: &str| sections.iter().flat_map(|section| &section.1).find(|entry| entry.0 == term).cloned();
        assert_eq!(find("substring").unwrap().1, "series cells that share one bypass diode.");
        assert_eq!(
            find("tilt").unwrap().1,
            "\u{b0}: from horizontal. azimuth, \u{b0}: from north. orientation: portrait or landscape."
        );
        assert!(sections.iter().flat_map(|section| &section.1).all(|(term, meaning)| !term.is_empty() && !meaning.is_empty()));
    }
}
