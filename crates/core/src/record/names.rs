//! The tags and names of a bench, to which conditions refer.

/// The identity of a panel, a rig or a piece of gear: the same in every bench and every file.
pub type Id = String;

/// Tags and names, each with its identity.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Names {
    pub panels: Vec<(Id, String)>,
    pub rigs: Vec<(Id, String)>,
    /// Controllers and power stations.
    pub gear: Vec<(Id, String)>,
}

impl Names {
    fn find(list: &[(Id, String)], name: &str) -> Option<Id> {
        let name = name.trim();
        list.iter().find(|(_, known)| known.eq_ignore_ascii_case(name)).map(|(id, _)| id.clone())
    }

    pub fn panel(&self, tag: &str) -> Option<Id> {
        Self::find(&self.panels, tag)
    }

    /// The tag of a panel.
    pub fn tag(&self, id: &str) -> Option<&str> {
        self.panels.iter().find(|(known, _)| known == id).map(|(_, tag)| tag.as_str())
    }

    /// The panel whose tag some words begin with, the longest one of several, and how many words its tag has.
    pub fn panel_at(&self, words: &[&str]) -> Option<(Id, usize)> {
        let fits = |tag: &str| {
            let tag: Vec<&str> = tag.split_whitespace().collect();
            let is_it = tag.len() <= words.len() && tag.iter().zip(words).all(|(own, word)| own.eq_ignore_ascii_case(word));
            is_it.then_some(tag.len()).filter(|count| *count > 0)
        };
        let found = self.panels.iter().filter_map(|(id, tag)| Some((id, fits(tag)?)));
        found.max_by_key(|(_, count)| *count).map(|(id, count)| (id.clone(), count))
    }

    pub fn rig(&self, name: &str) -> Option<Id> {
        Self::find(&self.rigs, name)
    }

    pub fn gear(&self, name: &str) -> Option<Id> {
        Self::find(&self.gear, name)
    }

    /// Panels of a text: "S-1", "S-1 + S-2", "S-1, S-2 and S-3", "U-1..U-10", "S-1 Saffron 200". `None` where one of them is not here.
    pub fn panels_in(&self, text: &str) -> Option<Vec<Id>> {
        if let Some(id) = self.panel(text) {
            return Some(vec![id]);
        }
        let parts: Vec<&str> = text
            .split(['+', ',', '&', '|'])
            .flat_map(|part| part.split(" and "))
            .map(str::trim)
            .filter(|part| !part.is_empty())
            .collect();
        let mut ids = Vec::new();
        for part in parts {
            match part.split_once("..") {
                Some((first, last)) => {
                    for tag in batch_tags(first.trim(), last.trim())? {
                        ids.push(self.panel(&tag)?);
                    }
                }
                None => ids.push(self.panel(part).or_else(|| self.longest_tag(part))?),
            }
        }
        (!ids.is_empty()).then_some(ids)
    }

    /// The panel whose tag a text begins with: "S-1 Saffron 200".
    fn longest_tag(&self, text: &str) -> Option<Id> {
        let begins = |tag: &str| {
            text.get(..tag.len()).is_some_and(|head| head.eq_ignore_ascii_case(tag))
                && text[tag.len()..].starts_with(char::is_whitespace)
        };
        self.panels.iter().filter(|(_, tag)| begins(tag)).max_by_key(|(_, tag)| tag.len()).map(|(id, _)| id.clone())
    }
}

/// Signs that part the tags of a list, or the conditions of a level.
const LIST_SIGNS: [char; 5] = [';', ',', '+', '|', '='];

/// Whether a text can be the tag of a panel, so that lists and wirings can name it.
///
/// # Errors
/// A sentence: what is wrong with it.
pub fn check_tag(tag: &str) -> Result<(), String> {
    if tag.trim().is_empty() {
        return Err("Enter a tag: what is written on the tape on its back.".to_owned());
    }
    if tag.chars().count() > 40 {
        return Err("This is longer than 40 characters.".to_owned());
    }
    match tag.chars().find(|sign| LIST_SIGNS.contains(sign) || sign.is_control()) {
        Some(sign) => Err(format!("A tag has no \u{201c}{}\u{201d}: it parts the tags of a list.", sign.escape_default())),
        None => Ok(()),
    }
}

/// More pieces than these are not made in one step.
pub const MOST_IN_A_BATCH: u32 = 200;

/// The tags from "U-1" to "U-10": the same words before a number that rises. `None` for anything else.
pub fn batch_tags(first: &str, last: &str) -> Option<Vec<String>> {
    let split = |tag: &str| {
        let head = tag.trim_end_matches(|c: char| c.is_ascii_digit());
        let number: u32 = tag[head.len()..].parse().ok()?;
        Some((head.to_owned(), number, tag.len() - head.len()))
    };
    let ((head, from, width), (other, to, _)) = (split(first)?, split(last)?);
    let is_batch = head.eq_ignore_ascii_case(&other) && from <= to && to - from < MOST_IN_A_BATCH;
    // "U-01" keeps its zero.
    is_batch.then(|| (from..=to).map(|number| format!("{head}{number:0width$}")).collect())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_batch_is_the_same_words_before_a_number_that_rises() {
        assert_eq!(batch_tags("U-08", "U-11").unwrap(), ["U-08", "U-09", "U-10", "U-11"]);
        assert_eq!((batch_tags("U-1", "V-3"), batch_tags("U-3", "U-1"), batch_tags("U-1", "U-900")), (None, None, None));
    }

    #[test]
    fn the_longest_tag_counts() {
        let of = |tag: &str| (tag.to_owned(), tag.to_owned());
        let names = Names { panels: vec![of("S"), of("S 1"), of("S 12")], ..Names::default() };
        assert_eq!(names.panel_at(&["s", "1", "alone"]), Some(("S 1".to_owned(), 2)));
        assert_eq!(names.panel_at(&["s", "2"]), Some(("S".to_owned(), 1)));
        assert_eq!(names.panel_at(&["the", "s"]), None);
    }
}
