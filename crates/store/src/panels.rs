//! Panels.

use crate::error::StoreError;
use crate::open::Store;
use flindo_core::panel::label::{self, LabelTyped};
use flindo_core::panel::nameplate::Nameplate;
use flindo_core::panel::wear::Wear;
use sqlx::sqlite::SqliteRow;
use sqlx::{Row, SqliteConnection};

/// A panel to be written.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct PanelDraft {
    pub tag: String,
    pub name: String,
    pub is_used: bool,
    pub age_years: Option<f64>,
    /// In the currency of the bench.
    pub price: Option<f64>,
    pub notes: String,
    pub nameplate: Nameplate,
    /// The label contradicts itself, and was kept on purpose.
    pub doubts_kept: bool,
    /// Panels of this kind under one tag; 0 counts as 1.
    pub units: u32,
    /// Where it comes from.
    pub provenance: String,
    /// What a look at it shows.
    pub wear: Vec<Wear>,
}

/// A panel of this bench.
#[derive(Debug, Clone, PartialEq)]
pub struct Panel {
    pub id: i64,
    pub uid: String,
    pub draft: PanelDraft,
}

const COLUMNS: &str = "id, uid, tag, name, is_used, age_years, price, notes, rated_w, tolerance, voc_v, isc_a, vmp_v, imp_a, \
                       alpha_isc, beta_voc, gamma_pmax, cells_in_series, technology, noct_c, construction, doubts_kept, units, provenance, wear";

impl Store {
    /// All panels by tag.
    pub async fn panels(&self) -> Result<Vec<Panel>, StoreError> {
        let sql = sqlx::AssertSqlSafe(format!("SELECT {COLUMNS} FROM panels ORDER BY tag"));
        sqlx::query(sql).fetch_all(&self.reader).await?.iter().map(panel_from).collect()
    }

    pub async fn panel(&self, id: i64) -> Result<Panel, StoreError> {
        let sql = sqlx::AssertSqlSafe(format!("SELECT {COLUMNS} FROM panels WHERE id = ?"));
        let row = sqlx::query(sql).bind(id).fetch_optional(&self.reader).await?;
        panel_from(&row.ok_or(StoreError::NotFound("panel"))?)
    }

    /// Adds a panel; answers its id.
    pub async fn add_panel(&self, draft: &PanelDraft) -> Result<i64, StoreError> {
        let mut writer = self.writer.acquire().await?;
        insert_panel(&mut writer, &crate::new_uid(), draft).await
    }

    pub async fn change_panel(&self, id: i64, draft: &PanelDraft) -> Result<(), StoreError> {
        let sql = "UPDATE panels SET tag = ?, name = ?, is_used = ?, age_years = ?, price = ?, notes = ?, rated_w = ?, tolerance = ?, \
                   voc_v = ?, isc_a = ?, vmp_v = ?, imp_a = ?, alpha_isc = ?, beta_voc = ?, gamma_pmax = ?, cells_in_series = ?, \
                   technology = ?, noct_c = ?, construction = ?, doubts_kept = ?, units = ?, provenance = ?, wear = ? WHERE id = ?";
        let done =
            bind_draft(sqlx::query(sql), draft).bind(id).execute(&self.writer).await.map_err(|error| tag_taken(error, draft))?;
        if done.rows_affected() == 0 { Err(StoreError::NotFound("panel")) } else { Ok(()) }
    }
}

pub(crate) async fn insert_panel(connection: &mut SqliteConnection, uid: &str, draft: &PanelDraft) -> Result<i64, StoreError> {
    let sql = "INSERT INTO panels (tag, name, is_used, age_years, price, notes, rated_w, tolerance, voc_v, isc_a, vmp_v, imp_a, \
               alpha_isc, beta_voc, gamma_pmax, cells_in_series, technology, noct_c, construction, doubts_kept, units, provenance, wear, uid) \
               VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)";
    let done =
        bind_draft(sqlx::query(sql), draft).bind(uid).execute(connection).await.map_err(|error| tag_taken(error, draft))?;
    Ok(done.last_insert_rowid())
}

/// The panel of this identity, and else of this tag.
pub(crate) async fn find_panel(connection: &mut SqliteConnection, uid: &str, tag: &str) -> Result<Option<Panel>, StoreError> {
    let sql = format!("SELECT {COLUMNS} FROM panels WHERE uid = ? OR tag = ? ORDER BY uid = ? DESC LIMIT 1");
    let row = sqlx::query(sqlx::AssertSqlSafe(sql)).bind(uid).bind(tag).bind(uid).fetch_optional(connection).await?;
    row.as_ref().map(panel_from).transpose()
}

fn tag_taken(error: sqlx::Error, draft: &PanelDraft) -> StoreError {
    if StoreError::is_unique(&error) {
        StoreError::Conflict(format!("Another panel already carries the tag \"{}\".", draft.tag))
    } else {
        error.into()
    }
}

type Query<'q> = sqlx::query::Query<'q, sqlx::Sqlite, sqlx::sqlite::SqliteArguments>;

fn bind_draft<'q>(query: Query<'q>, draft: &'q PanelDraft) -> Query<'q> {
    let label = &draft.nameplate;
    let typed = LabelTyped::of(label);
    query
        .bind(&draft.tag)
        .bind(&draft.name)
        .bind(draft.is_used)
        .bind(draft.age_years)
        .bind(draft.price)
        .bind(&draft.notes)
        .bind(label.rated_w)
        .bind(typed.tolerance)
        .bind(label.voc_v)
        .bind(label.isc_a)
        .bind(label.vmp_v)
        .bind(label.imp_a)
        .bind(typed.alpha_isc)
        .bind(typed.beta_voc)
        .bind(typed.gamma_pmax)
        .bind(label.cells_in_series)
        .bind(typed.technology)
        .bind(label.noct_c)
        .bind(typed.construction)
        .bind(draft.doubts_kept)
        .bind(draft.units.max(1))
        .bind(&draft.provenance)
        .bind(Wear::list_text(&draft.wear))
}

/// A row as a panel. The label goes through the core's own check, so that a file edited by hand cannot bring in nonsense.
fn panel_from(row: &SqliteRow) -> Result<Panel, StoreError> {
    let number = |column: &str| {
        row.try_get::<Option<f64>, _>(column).map(|value| value.map(|value| value.to_string()).unwrap_or_default())
    };
    let cells: Option<i64> = row.try_get("cells_in_series")?;
    let typed = LabelTyped {
        rated_w: number("rated_w")?,
        tolerance: row.try_get("tolerance")?,
        voc_v: number("voc_v")?,
        isc_a: number("isc_a")?,
        vmp_v: number("vmp_v")?,
        imp_a: number("imp_a")?,
        alpha_isc: row.try_get("alpha_isc")?,
        beta_voc: row.try_get("beta_voc")?,
        gamma_pmax: row.try_get("gamma_pmax")?,
        cells_in_series: cells.map(|cells| cells.to_string()).unwrap_or_default(),
        technology: row.try_get("technology")?,
        noct_c: number("noct_c")?,
        construction: row.try_get("construction")?,
    };
    let tag: String = row.try_get("tag")?;
    let nameplate = label::check(&typed).nameplate.ok_or_else(|| StoreError::Corrupt(format!("the label of panel {tag}")))?;
    Ok(Panel {
        id: row.try_get("id")?,
        uid: row.try_get("uid")?,
        draft: PanelDraft {
            tag,
            name: row.try_get("name")?,
            is_used: row.try_get("is_used")?,
            age_years: row.try_get("age_years")?,
            price: row.try_get("price")?,
            notes: row.try_get("notes")?,
            nameplate,
            doubts_kept: row.try_get("doubts_kept")?,
            units: row.try_get("units")?,
            provenance: row.try_get("provenance")?,
            wear: Wear::list_from(&row.try_get::<String, _>("wear")?),
        },
    })
}
