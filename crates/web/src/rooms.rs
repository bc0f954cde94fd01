//! The rooms of the application in the order of the job, and the pages of each: everything is at most two steps away.

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Room {
    Today,
    Plan,
    Measure,
    Results,
    Bench,
}

/// A page in the navigation: its path, and its name.
pub type Page = (&'static str, &'static str);

impl Room {
    pub const ALL: [Room; 5] = [Room::Today, Room::Plan, Room::Measure, Room::Results, Room::Bench];

    pub fn label(self) -> &'static str {
        match self {
            Room::Today => "Today",
            Room::Plan => "Plan",
            Room::Measure => "Measure",
            Room::Results => "Results",
            Room::Bench => "Bench",
        }
    }

    /// Its pages; the first is the one its name leads to.
    pub fn pages(self) -> &'static [Page] {
        match self {
            Room::Today => &[("/", "Overview"), ("/today", "Good hours")],
            Room::Plan => &[
                ("/plan", "Questions"),
                ("/tilt", "Tilt"),
                ("/aim", "Aim"),
                ("/shade", "Shade"),
                ("/shadow", "Moving shadow"),
                ("/ways", "Wiring"),
                ("/unlike", "Mismatched panels"),
                ("/controllers", "Controllers"),
                ("/strings", "Strings"),
                ("/used", "Used panels"),
                ("/keep-up", "Keep up"),
            ],
            Room::Measure => &[
                ("/now", "Measure now"),
                ("/measure", "Tests at work"),
                ("/meters", "Live meters"),
                ("/logs", "Logs"),
                ("/hours", "Compare hours"),
                ("/import", "Import"),
            ],
            Room::Results => &[
                ("/results", "Logbook"),
                ("/league", "League"),
                ("/again", "Test again"),
                ("/reviews", "Reviews"),
                ("/recompute", "Recompute"),
            ],
            Room::Bench => &[
                ("/panels", "Panels"),
                ("/kinds", "Panel kinds"),
                ("/gear", "Gear and rigs"),
                ("/bench", "Places, phones, backup"),
            ],
        }
    }

    /// Where its name leads.
    pub fn path(self) -> &'static str {
        self.pages()[0].0
    }

    /// The room that a path belongs to; `None` for help and errors.
    pub fn of_path(path: &str) -> Option<Self> {
        let is_below =
            |page: &str| path == page || page != "/" && path.strip_prefix(page).is_some_and(|rest| rest.starts_with('/'));
        if is_below("/tests") {
            let is_result = ["/result", "/report"].iter().any(|end| path.ends_with(end));
            return Some(match path {
                "/tests/new" => Room::Plan,
                _ if is_result => Room::Results,
                _ => Room::Measure,
            });
        }
        if ["/rigs", "/places"].iter().any(|page| is_below(page)) {
            return Some(Room::Bench);
        }
        Room::ALL.into_iter().find(|room| room.pages().iter().any(|(page, _)| is_below(page)))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_page_is_in_its_own_room() {
        for room in Room::ALL {
            for (path, _) in room.pages() {
                assert_eq!(Room::of_path(path), Some(room), "{path}");
            }
        }
        for (path, room) in [
            ("/tests/3", Some(Room::Measure)),
            ("/tests/3/result", Some(Room::Results)),
            ("/tests/new", Some(Room::Plan)),
            ("/plan/shade_cost", Some(Room::Plan)),
            ("/panels/2/edit", Some(Room::Bench)),
            ("/rigs/1", Some(Room::Bench)),
            ("/help", None),
            ("/shadows", None),
        ] {
            assert_eq!(Room::of_path(path), room, "{path}");
        }
    }
}
