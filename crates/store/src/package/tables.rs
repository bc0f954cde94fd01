//! The tables of a package, each after those it refers to.

/// By what a row is the same row in another bench.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Known {
    /// By this column, which is unique; such a row has an `id`.
    By(&'static str),
    /// It comes and goes with the row of another table that this column names.
    With(&'static str),
    /// By all of these, after references were brought over; such a row has no `id` that others name.
    ByAll(&'static [&'static str]),
    /// There is one.
    Only,
}

#[derive(Debug, Clone, Copy)]
pub(crate) struct Table {
    pub name: &'static str,
    pub known: Known,
    /// Columns that name a row of another table by its `id`.
    pub refers: &'static [(&'static str, &'static str)],
    /// A name that no two rows may have, capitals aside.
    pub name_column: Option<&'static str>,
    /// Packages of older programs have it not: no rows where it is missing.
    pub is_later: bool,
    /// Columns that packages of older programs have not: empty where they are missing.
    pub later: &'static [&'static str],
    /// Columns that stay at home.
    pub without: &'static [&'static str],
    /// Columns that are files of the package: the column, and the end of the file's name.
    pub files: &'static [(&'static str, &'static str)],
    /// Which rows travel.
    pub rows: &'static str,
}

const TABLE: Table = Table {
    name: "",
    known: Known::By("uid"),
    refers: &[],
    name_column: None,
    is_later: false,
    later: &[],
    without: &[],
    files: &[],
    rows: "1",
};

pub(crate) const TABLES: &[Table] = &[
    Table { name: "places", name_column: Some("name"), ..TABLE },
    Table { name: "bench", known: Known::Only, refers: &[("place_id", "places")], without: &["is_demo"], ..TABLE },
    Table { name: "panel_kinds", name_column: Some("name"), ..TABLE },
    Table { name: "panels", refers: &[("kind_id", "panel_kinds")], name_column: Some("tag"), ..TABLE },
    Table { name: "panel_events", refers: &[("panel_id", "panels")], ..TABLE },
    Table { name: "gear", name_column: Some("name"), ..TABLE },
    Table { name: "gear_fields", known: Known::With("gear_id"), refers: &[("gear_id", "gear")], ..TABLE },
    Table {
        name: "rigs",
        refers: &[
            ("string_fuse_id", "gear"),
            ("joint_id", "gear"),
            ("lead_id", "gear"),
            ("sink_id", "gear"),
            ("battery_id", "gear"),
        ],
        name_column: Some("name"),
        ..TABLE
    },
    Table { name: "rig_meters", known: Known::With("rig_id"), refers: &[("rig_id", "rigs"), ("gear_id", "gear")], ..TABLE },
    Table {
        name: "tests",
        later: &["reference_isc_a", "reference_pmax_w", "reference_percent"],
        refers: &[("panel_id", "panels"), ("place_id", "places"), ("rig_id", "rigs")],
        rows: "id NOT IN (SELECT row_id FROM open_import_rows WHERE what = 'test')",
        ..TABLE
    },
    Table { name: "test_meters", is_later: true, refers: &[("test_id", "tests"), ("gear_id", "gear")], rows: OF_TESTS, ..TABLE },
    Table { name: "runs", refers: &[("test_id", "tests")], rows: OF_TESTS, ..TABLE },
    Table { name: "run_events", refers: &[("run_id", "runs")], rows: "run_id IN (SELECT id FROM runs WHERE {tests})", ..TABLE },
    Table {
        name: "readings",
        refers: &[("test_id", "tests"), ("replaces_id", "readings"), ("run_id", "runs")],
        without: &["import_id"],
        rows: READINGS,
        ..TABLE
    },
    Table {
        name: "reading_figures",
        known: Known::With("reading_id"),
        refers: &[("reading_id", "readings")],
        rows: "reading_id IN (SELECT id FROM readings WHERE {readings})",
        ..TABLE
    },
    Table {
        name: "acknowledgements",
        known: Known::ByAll(&["test_id", "key"]),
        refers: &[("test_id", "tests")],
        rows: OF_TESTS,
        ..TABLE
    },
    Table {
        name: "photos",
        refers: &[("test_id", "tests"), ("run_id", "runs")],
        files: &[("bytes", ""), ("thumbnail", "-small")],
        rows: OF_TESTS,
        ..TABLE
    },
    Table { name: "calculations", name_column: Some("name"), ..TABLE },
    Table {
        name: "calculation_tests",
        known: Known::ByAll(&["test_id"]),
        refers: &[("test_id", "tests"), ("calculation_id", "calculations")],
        rows: OF_TESTS,
        ..TABLE
    },
    Table { name: "reviews", ..TABLE },
    Table { name: "weather", known: Known::By("sum"), files: &[("file", "")], ..TABLE },
    Table { name: "log_files", known: Known::By("sha256"), rows: "ended_utc IS NOT NULL", ..TABLE },
    Table {
        name: "log_file_faults",
        known: Known::With("file_id"),
        refers: &[("file_id", "log_files")],
        rows: "file_id IN (SELECT id FROM log_files WHERE ended_utc IS NOT NULL)",
        ..TABLE
    },
    Table { name: "log_formats", known: Known::ByAll(&["look"]), ..TABLE },
    Table {
        name: "logs",
        refers: &[
            ("test_id", "tests"),
            ("run_id", "runs"),
            ("file_id", "log_files"),
            ("rig_id", "rigs"),
            ("panel_id", "panels"),
            ("place_id", "places"),
        ],
        // A log of a file that is not all in would be half of one.
        rows: "file_id IS NULL OR file_id IN (SELECT id FROM log_files WHERE ended_utc IS NOT NULL)",
        ..TABLE
    },
    Table { name: "log_events", known: Known::With("log_id"), refers: &[("log_id", "logs")], rows: OF_LOGS, ..TABLE },
    Table { name: "withdrawals", known: Known::ByAll(&["what", "row_id", "at_utc", "is_withdrawn"]), ..TABLE },
    Table { name: "revisions", known: Known::ByAll(&["what", "row_id", "until_utc", "content"]), ..TABLE },
];

const OF_TESTS: &str = "{tests}";

const OF_LOGS: &str =
    "log_id IN (SELECT id FROM logs WHERE file_id IS NULL OR file_id IN (SELECT id FROM log_files WHERE ended_utc IS NOT NULL))";

const READINGS: &str = "{readings}";

/// What of a bench goes into a package.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Chosen {
    All,
    /// By their numbers, with all they need.
    Tests(Vec<i64>),
}

/// Tables that do not travel, and why.
pub(crate) const AT_HOME: &[(&str, &str)] = &[
    ("sessions", "devices that were let in are of this machine"),
    ("forgotten", "each bench forgets for itself"),
    ("open_imports", "what is not all in is not of the bench yet"),
    ("open_import_rows", "what is not all in is not of the bench yet"),
    ("log_chunks", "in the file of its log, as samples"),
    ("log_samples", "in the file of its log"),
    ("log_minutes", "put together from the samples"),
    ("log_minute_sums", "of the minutes"),
];

/// What the row of `withdrawals` or `revisions` is of: its word, and the table.
pub(crate) const WHAT: &[(&str, &str)] = &[
    ("test", "tests"),
    ("panel", "panels"),
    ("kind", "panel_kinds"),
    ("gear", "gear"),
    ("rig", "rigs"),
    ("place", "places"),
    ("log", "logs"),
    ("review", "reviews"),
    ("tests", "tests"),
    ("panels", "panels"),
    ("panel_kinds", "panel_kinds"),
    ("rigs", "rigs"),
    ("places", "places"),
];

impl Table {
    /// Which rows travel, as a condition: all that are in whole, or those of some tests with all they need.
    pub fn condition(&self, of: &Chosen) -> String {
        match of {
            Chosen::All => self.whole(),
            Chosen::Tests(ids) => self.of_tests(&ids.iter().map(i64::to_string).collect::<Vec<_>>().join(", ")),
        }
    }

    /// `{tests}` and `{readings}` stand for those of tests and readings that are all in.
    fn whole(&self) -> String {
        const TESTS: &str = "test_id NOT IN (SELECT row_id FROM open_import_rows WHERE what = 'test')";
        let readings = format!("{TESTS} AND (import_id IS NULL OR import_id NOT IN (SELECT id FROM open_imports))");
        self.rows.replace("{readings}", &readings).replace("{tests}", TESTS)
    }

    /// A panel, rig or piece of gear is needed where a test, its plan or a state of it names it; the tag of a panel in the wiring of a rig
    /// counts where it only begins like another one: one panel more does no harm.
    fn of_tests(&self, ids: &str) -> String {
        let whole = self.whole();
        let said = |table: &str| {
            format!(
                "EXISTS (SELECT 1 FROM tests t WHERE t.id IN ({ids}) AND instr(ifnull(t.plan, ''), {table}.uid)) \
                 OR EXISTS (SELECT 1 FROM runs u WHERE u.test_id IN ({ids}) AND instr(ifnull(u.state, ''), {table}.uid))"
            )
        };
        let rigs = format!(
            "(id IN (SELECT rig_id FROM tests WHERE id IN ({ids})) OR id IN (SELECT rig_id FROM logs WHERE test_id IN ({ids})) OR {})",
            said("rigs")
        );
        let panels = format!(
            "(id IN (SELECT panel_id FROM tests WHERE id IN ({ids})) OR id IN (SELECT panel_id FROM logs WHERE test_id IN ({ids})) OR {} \
             OR EXISTS (SELECT 1 FROM rigs WHERE instr(wiring, panels.tag) AND {rigs}))",
            said("panels")
        );
        let gear = format!(
            "({} OR EXISTS (SELECT 1 FROM rigs WHERE gear.id IN (string_fuse_id, joint_id, lead_id, sink_id, battery_id) AND {rigs}) \
             OR id IN (SELECT gear_id FROM test_meters WHERE test_id IN ({ids})) \
             OR id IN (SELECT gear_id FROM rig_meters WHERE rig_id IN (SELECT id FROM rigs WHERE {rigs})))",
            said("gear")
        );
        let logs = format!("test_id IN ({ids}) AND ({})", Table::of("logs").map(Table::whole).unwrap_or_default());
        match self.name {
            "places" => format!(
                "id IN (SELECT place_id FROM tests WHERE id IN ({ids})) OR id IN (SELECT place_id FROM bench) \
                 OR id IN (SELECT place_id FROM logs WHERE test_id IN ({ids}))"
            ),
            "panel_kinds" => format!("id IN (SELECT kind_id FROM panels WHERE {panels})"),
            "panels" => panels,
            "panel_events" => format!("panel_id IN (SELECT id FROM panels WHERE {panels})"),
            "gear" => gear,
            "gear_fields" => format!("gear_id IN (SELECT id FROM gear WHERE {gear})"),
            "rigs" => rigs,
            "rig_meters" => format!("rig_id IN (SELECT id FROM rigs WHERE {rigs})"),
            "tests" => format!("id IN ({ids}) AND {whole}"),
            "run_events" => format!("run_id IN (SELECT id FROM runs WHERE test_id IN ({ids}))"),
            "reading_figures" => format!("reading_id IN (SELECT id FROM readings WHERE test_id IN ({ids})) AND {whole}"),
            "test_meters" | "runs" | "readings" | "acknowledgements" | "photos" | "calculation_tests" => {
                format!("test_id IN ({ids}) AND {whole}")
            }
            "calculations" => format!("id IN (SELECT calculation_id FROM calculation_tests WHERE test_id IN ({ids}))"),
            "log_files" => format!("id IN (SELECT file_id FROM logs WHERE {logs})"),
            "log_file_faults" => format!("file_id IN (SELECT file_id FROM logs WHERE {logs})"),
            "logs" => logs,
            "log_events" => format!("log_id IN (SELECT id FROM logs WHERE {logs})"),
            "withdrawals" | "revisions" => format!("what IN ('test', 'tests') AND row_id IN ({ids})"),
            // A review of these tests alone can be read with them.
            "reviews" => format!(
                "json_array_length(tests) > 0 AND NOT EXISTS (SELECT 1 FROM json_each(tests) j \
                 WHERE j.value NOT IN (SELECT uid FROM tests WHERE id IN ({ids})))"
            ),
            "bench" => whole,
            // Of no single test.
            _ => "0".to_owned(),
        }
    }

    pub fn of(name: &str) -> Option<&'static Table> {
        TABLES.iter().find(|table| table.name == name)
    }

    /// Its rows have an `id` that others may name.
    pub fn has_id(&self) -> bool {
        matches!(self.known, Known::By(_))
    }
}

/// A column of a table as SQLite tells it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct ColumnInfo {
    pub name: String,
    /// INTEGER, REAL, TEXT or BLOB: the tables are strict.
    pub kind: String,
    pub is_required: bool,
    pub is_key: bool,
}

/// The columns of a table that travel in its CSV, in their order.
pub(crate) async fn columns(connection: &mut sqlx::SqliteConnection, table: &Table) -> Result<Vec<ColumnInfo>, sqlx::Error> {
    let sql = "SELECT name, type, \"notnull\", pk FROM pragma_table_info(?) ORDER BY cid";
    let all: Vec<(String, String, bool, i64)> = sqlx::query_as(sql).bind(table.name).fetch_all(connection).await?;
    let stays = |name: &str| table.without.contains(&name) || table.files.iter().any(|(column, _)| *column == name);
    Ok(all
        .into_iter()
        .filter(|(name, ..)| !stays(name))
        .map(|(name, kind, not_null, key)| ColumnInfo { name, kind, is_required: not_null || key > 0, is_key: key > 0 })
        .collect())
}
