//! The tables of a bench, version by version. Named here one by one: what finds them by itself builds a second database for the compiler.

use sqlx::SqlStr;
use sqlx::error::BoxDynError;
use sqlx::migrate::{Migration, MigrationSource, MigrationType};
use std::borrow::Cow;
use std::pin::Pin;

/// Version, what it is about, and its statements; the file has both in its name.
const ALL: [(i64, &str, &str); 21] = [
    (1, "logbook", include_str!("../migrations/0001_logbook.sql")),
    (2, "places", include_str!("../migrations/0002_places.sql")),
    (3, "rigs and runs", include_str!("../migrations/0003_rigs_and_runs.sql")),
    (4, "construction and mounting", include_str!("../migrations/0004_construction_and_mounting.sql")),
    (5, "kinds and typed plans", include_str!("../migrations/0005_kinds_and_typed_plans.sql")),
    (6, "sessions", include_str!("../migrations/0006_sessions.sql")),
    (7, "logs that go on", include_str!("../migrations/0007_logs_that_go_on.sql")),
    (8, "lists", include_str!("../migrations/0008_lists.sql")),
    (9, "thumbnails", include_str!("../migrations/0009_thumbnails.sql")),
    (10, "imports", include_str!("../migrations/0010_imports.sql")),
    (11, "reviews", include_str!("../migrations/0011_reviews.sql")),
    (12, "terms", include_str!("../migrations/0012_terms.sql")),
    (13, "days", include_str!("../migrations/0013_days.sql")),
    (14, "one ground", include_str!("../migrations/0014_one_ground.sql")),
    (15, "reference", include_str!("../migrations/0015_reference.sql")),
    (16, "meters of tests", include_str!("../migrations/0016_meters_of_tests.sql")),
    (17, "sessions by name", include_str!("../migrations/0017_sessions_by_name.sql")),
    (18, "forgotten", include_str!("../migrations/0018_forgotten.sql")),
    (19, "states corrected", include_str!("../migrations/0019_states_corrected.sql")),
    (20, "gear in tables", include_str!("../migrations/0020_gear_in_tables.sql")),
    (21, "unread labels", include_str!("../migrations/0021_unread_labels.sql")),
];

/// The version that this program makes.
pub(crate) fn newest() -> i64 {
    ALL.iter().map(|(version, ..)| *version).max().unwrap_or_default()
}

/// They, for [`sqlx::migrate::Migrator::new`].
#[derive(Debug)]
pub(crate) struct Migrations {
    /// Those up to this version.
    pub until: i64,
}

impl MigrationSource<'static> for Migrations {
    fn resolve(self) -> Pin<Box<dyn Future<Output = Result<Vec<Migration>, BoxDynError>> + Send + 'static>> {
        let migration = |(version, about, statements): (i64, &'static str, &'static str)| {
            Migration::new(version, Cow::Borrowed(about), MigrationType::Simple, SqlStr::from_static(statements), false)
        };
        let wanted = ALL.into_iter().filter(|(version, ..)| *version <= self.until);
        Box::pin(std::future::ready(Ok(wanted.map(migration).collect())))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_file_is_named_here() {
        let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/migrations");
        let mut files: Vec<String> =
            std::fs::read_dir(folder).unwrap().map(|file| file.unwrap().file_name().into_string().unwrap()).collect();
        files.sort();
        let named = ALL.map(|(version, about, _)| format!("{version:04}_{}.sql", about.replace(' ', "_")));
        assert_eq!(files, named);
    }
}
