//! What was entered by mistake and taken back, with its reason; and restored. Nothing is removed: a withdrawn record is left out of lists,
//! choices and rankings, and whoever refers to it still finds it.

use crate::connections::Store;
use crate::error::StoreError;
use flindo_core::record::bounds;
use jiff::Timestamp;
use std::collections::HashSet;

/// What can be withdrawn.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Withdrawable {
    Test,
    Panel,
    Kind,
    Gear,
    Rig,
    Place,
    Log,
    Review,
}

impl Withdrawable {
    pub const ALL: [Withdrawable; 8] = [
        Withdrawable::Test,
        Withdrawable::Panel,
        Withdrawable::Kind,
        Withdrawable::Gear,
        Withdrawable::Rig,
        Withdrawable::Place,
        Withdrawable::Log,
        Withdrawable::Review,
    ];

    pub fn name(self) -> &'static str {
        match self {
            Withdrawable::Test => "test",
            Withdrawable::Panel => "panel",
            Withdrawable::Kind => "kind",
            Withdrawable::Gear => "gear",
            Withdrawable::Rig => "rig",
            Withdrawable::Place => "place",
            Withdrawable::Log => "log",
            Withdrawable::Review => "review",
        }
    }

    pub fn from_name(name: &str) -> Option<Self> {
        Withdrawable::ALL.into_iter().find(|what| what.name() == name)
    }

    /// As a person reads it.
    pub fn label(self) -> &'static str {
        match self {
            Withdrawable::Kind => "kind of panel",
            Withdrawable::Gear => "piece of gear",
            Withdrawable::Test
            | Withdrawable::Panel
            | Withdrawable::Rig
            | Withdrawable::Place
            | Withdrawable::Log
            | Withdrawable::Review => self.name(),
        }
    }

    /// Its table, and the expression of what a person calls it.
    pub(crate) fn table(self) -> (&'static str, &'static str) {
        match self {
            Withdrawable::Test => {
                ("tests", "(SELECT tag FROM panels WHERE id = t.panel_id) || ', ' || substr(t.created_utc, 1, 10)")
            }
            Withdrawable::Panel => ("panels", "t.tag"),
            Withdrawable::Kind => ("panel_kinds", "t.name"),
            Withdrawable::Gear => ("gear", "t.name"),
            Withdrawable::Rig => ("rigs", "t.name"),
            Withdrawable::Place => ("places", "t.name"),
            Withdrawable::Log => ("logs", "t.name"),
            Withdrawable::Review => ("reviews", "t.name"),
        }
    }

    /// Where others refer to it: a count in SQL, and what they are.
    pub(crate) fn uses(self) -> &'static [(&'static str, &'static str)] {
        match self {
            Withdrawable::Test => &[("SELECT count(*) FROM logs WHERE test_id = ?1", "log")],
            Withdrawable::Panel => &[
                ("SELECT count(*) FROM tests WHERE panel_id = ?1", "test"),
                ("SELECT count(*) FROM logs WHERE panel_id = ?1", "log"),
                (
                    "SELECT count(*) FROM tests WHERE panel_id <> ?1 AND instr(ifnull(plan, ''), (SELECT uid FROM panels WHERE id = ?1))",
                    "plan",
                ),
            ],
            Withdrawable::Kind => &[("SELECT count(*) FROM panels WHERE kind_id = ?1", "panel")],
            Withdrawable::Gear => &[
                (
                    "SELECT count(*) FROM rigs WHERE ?1 IN (string_fuse_id, joint_id, lead_id, sink_id, battery_id) \
                     OR id IN (SELECT rig_id FROM rig_meters WHERE gear_id = ?1)",
                    "rig",
                ),
                ("SELECT count(DISTINCT test_id) FROM test_meters WHERE gear_id = ?1", "test"),
            ],
            Withdrawable::Rig => &[
                ("SELECT count(*) FROM tests WHERE rig_id = ?1", "test"),
                ("SELECT count(*) FROM logs WHERE rig_id = ?1", "log"),
            ],
            Withdrawable::Place => &[
                ("SELECT count(*) FROM tests WHERE place_id = ?1", "test"),
                ("SELECT count(*) FROM logs WHERE place_id = ?1", "log"),
            ],
            Withdrawable::Log | Withdrawable::Review => &[],
        }
    }
}

/// A record that is withdrawn.
#[derive(Debug, Clone, PartialEq)]
pub struct Withdrawn {
    pub what: Withdrawable,
    pub id: i64,
    pub name: String,
    pub at_utc: Timestamp,
    pub reason: String,
}

impl Store {
    /// Takes a record back, or restores it; where it is that already, nothing is added.
    ///
    /// # Errors
    /// Where there is no such record; for the place in use; and as any writing.
    pub async fn withdraw(
        &self,
        (what, id): (Withdrawable, i64),
        is_withdrawn: bool,
        reason: &str,
        at_utc: Timestamp,
    ) -> Result<(), StoreError> {
        bounds::check_note("reason", reason)?;
        let (table, _) = what.table();
        let mut transaction = self.writer()?.begin_with("BEGIN IMMEDIATE").await?;
        let there = sqlx::AssertSqlSafe(format!("SELECT EXISTS (SELECT 1 FROM {table} WHERE id = ?)"));
        if !sqlx::query_scalar::<_, bool>(there).bind(id).fetch_one(&mut *transaction).await? {
            return Err(StoreError::NotFound(what.label()));
        }
        let in_use = "SELECT EXISTS (SELECT 1 FROM bench WHERE place_id = ?)";
        if what == Withdrawable::Place
            && is_withdrawn
            && sqlx::query_scalar::<_, bool>(in_use).bind(id).fetch_one(&mut *transaction).await?
        {
            return Err(StoreError::Conflict("This place is in use: use another one first, then withdraw it.".to_owned()));
        }
        let sql = "INSERT INTO withdrawals (what, row_id, at_utc, is_withdrawn, reason) SELECT ?1, ?2, ?3, ?4, ?5 \
                   WHERE ?4 <> EXISTS (SELECT 1 FROM withdrawn WHERE what = ?1 AND row_id = ?2)";
        sqlx::query(sql)
            .bind(what.name())
            .bind(id)
            .bind(at_utc.to_string())
            .bind(is_withdrawn)
            .bind(reason.trim())
            .execute(&mut *transaction)
            .await?;
        transaction.commit().await?;
        Ok(())
    }

    /// All that is withdrawn, the newest first.
    pub async fn withdrawn(&self) -> Result<Vec<Withdrawn>, StoreError> {
        let mut all = Vec::new();
        for what in Withdrawable::ALL {
            let (table, name) = what.table();
            let sql = format!(
                "SELECT w.row_id, {name}, w.at_utc, w.reason FROM withdrawn w JOIN {table} t ON t.id = w.row_id WHERE w.what = ?"
            );
            let rows: Vec<(i64, String, String, String)> =
                sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(what.name()).fetch_all(&self.reader).await?;
            for (id, name, at_utc, reason) in rows {
                let at_utc = at_utc.parse().map_err(|_| StoreError::Corrupt(format!("the time \"{at_utc}\" of a withdrawal")))?;
                all.push(Withdrawn { what, id, name, at_utc, reason });
            }
        }
        all.sort_by_key(|one| std::cmp::Reverse(one.at_utc));
        Ok(all)
    }

    /// What a person calls a record; `None` where there is no such one.
    pub async fn name_of(&self, what: Withdrawable, id: i64) -> Result<Option<String>, StoreError> {
        let (table, name) = what.table();
        let sql = sqlx::AssertSqlSafe(format!("SELECT {name} FROM {table} t WHERE t.id = ?"));
        Ok(sqlx::query_scalar(sql).bind(id).fetch_optional(&self.reader).await?)
    }

    /// The ids of withdrawn records of one sort.
    pub(crate) async fn withdrawn_ids(&self, what: Withdrawable) -> Result<HashSet<i64>, StoreError> {
        let ids: Vec<i64> =
            sqlx::query_scalar("SELECT row_id FROM withdrawn WHERE what = ?").bind(what.name()).fetch_all(&self.reader).await?;
        Ok(ids.into_iter().collect())
    }

    /// What refers to a record: how many of what, such as `(3, "test")`; nothing where nothing does.
    pub async fn uses(&self, what: Withdrawable, id: i64) -> Result<Vec<(i64, &'static str)>, StoreError> {
        let mut uses = Vec::new();
        for (sql, of) in what.uses() {
            let count: i64 = sqlx::query_scalar(sqlx::AssertSqlSafe(*sql)).bind(id).fetch_one(&self.reader).await?;
            if count > 0 {
                uses.push((count, *of));
            }
        }
        Ok(uses)
    }
}
