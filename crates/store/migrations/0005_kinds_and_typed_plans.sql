-- A kind holds the label, a panel is one piece of it. A plan is kept as typed conditions.

CREATE TABLE panel_kinds (
    id              INTEGER PRIMARY KEY,
    uid             TEXT NOT NULL UNIQUE,
    name            TEXT NOT NULL COLLATE NOCASE,
    price           REAL,                   -- of one piece, in the currency of the bench
    -- the label at STC; NULL: not on the label
    rated_w         REAL NOT NULL,          -- W
    tolerance       TEXT NOT NULL,          -- as printed: "0/+3 %"
    voc_v           REAL,                   -- V
    isc_a           REAL,                   -- A
    vmp_v           REAL,                   -- V
    imp_a           REAL,                   -- A
    alpha_isc       TEXT NOT NULL,          -- as printed: "0.05 %/K" or "0.004 A/K"
    beta_voc        TEXT NOT NULL,          -- as printed: "-0.3 %/K" or "-0.11 V/K"
    gamma_pmax      TEXT NOT NULL,          -- as printed: "-0.4 %/K" or "-1.0 W/K"
    cells_in_series INTEGER,                -- number
    technology      TEXT NOT NULL,          -- mono, poly, thin_film
    noct_c          REAL,                   -- C
    construction    TEXT NOT NULL,          -- by the core's names; '': the likeliest for its cells
    length_m        REAL,                   -- m, long side of the face
    width_m         REAL,                   -- m, short side of the face
    bifaciality     REAL,                   -- rear over front, 0 to 1; NULL: the label says nothing of a rear
    doubts_kept     INTEGER NOT NULL CHECK (doubts_kept IN (0, 1)) -- 1: contradictions kept, because the label says so
) STRICT;

-- Panels of one name and one label become one kind.
INSERT INTO panel_kinds (uid, name, rated_w, tolerance, voc_v, isc_a, vmp_v, imp_a, alpha_isc, beta_voc, gamma_pmax,
                         cells_in_series, technology, noct_c, construction, doubts_kept)
SELECT 'kind-' || min(uid), CASE WHEN trim(name) = '' THEN min(tag) ELSE name END, rated_w, tolerance, voc_v, isc_a, vmp_v, imp_a,
       alpha_isc, beta_voc, gamma_pmax, cells_in_series, technology, noct_c, construction, max(doubts_kept)
FROM panels
GROUP BY name, rated_w, tolerance, voc_v, isc_a, vmp_v, imp_a, alpha_isc, beta_voc, gamma_pmax, cells_in_series, technology,
         noct_c, construction;

ALTER TABLE panels ADD COLUMN kind_id INTEGER REFERENCES panel_kinds (id);
UPDATE panels SET kind_id = (
    SELECT k.id FROM panel_kinds k WHERE k.uid = 'kind-' || (
        SELECT min(q.uid) FROM panels q
        WHERE q.name IS panels.name AND q.rated_w IS panels.rated_w AND q.tolerance IS panels.tolerance AND q.voc_v IS
        panels.voc_v AND q.isc_a IS panels.isc_a AND q.vmp_v IS panels.vmp_v AND q.imp_a IS panels.imp_a AND q.alpha_isc IS
        panels.alpha_isc AND q.beta_voc IS panels.beta_voc AND q.gamma_pmax IS panels.gamma_pmax AND q.cells_in_series IS
        panels.cells_in_series AND q.technology IS panels.technology AND q.noct_c IS panels.noct_c AND q.construction IS
        panels.construction));
-- Two labels under one name are two kinds: the later ones are told apart by their number.
UPDATE panel_kinds SET name = name || ' (' || id || ')'
WHERE EXISTS (SELECT 1 FROM panel_kinds k WHERE k.name = panel_kinds.name AND k.id < panel_kinds.id);
CREATE UNIQUE INDEX panel_kinds_by_name ON panel_kinds (name);

-- Several units under one tag become pieces: U-2 with three units is U-2, U-2.2 and U-2.3.
INSERT OR IGNORE INTO panels (uid, tag, name, is_used, age_years, price, notes, rated_w, tolerance, alpha_isc, beta_voc, gamma_pmax,
                              technology, doubts_kept, provenance, wear, construction, kind_id)
WITH RECURSIVE piece (panel_id, number, last) AS (
    SELECT id, 2, units FROM panels WHERE units > 1
    UNION ALL SELECT panel_id, number + 1, last FROM piece WHERE number < min(last, 500)
)
SELECT p.uid || '-' || number, p.tag || '.' || number, p.name, p.is_used, p.age_years, p.price, p.notes, p.rated_w, p.tolerance,
       p.alpha_isc, p.beta_voc, p.gamma_pmax, p.technology, p.doubts_kept, p.provenance, p.wear, p.construction, p.kind_id
FROM piece JOIN panels p ON p.id = panel_id;

ALTER TABLE panels DROP COLUMN name;
ALTER TABLE panels DROP COLUMN rated_w;
ALTER TABLE panels DROP COLUMN tolerance;
ALTER TABLE panels DROP COLUMN voc_v;
ALTER TABLE panels DROP COLUMN isc_a;
ALTER TABLE panels DROP COLUMN vmp_v;
ALTER TABLE panels DROP COLUMN imp_a;
ALTER TABLE panels DROP COLUMN alpha_isc;
ALTER TABLE panels DROP COLUMN beta_voc;
ALTER TABLE panels DROP COLUMN gamma_pmax;
ALTER TABLE panels DROP COLUMN cells_in_series;
ALTER TABLE panels DROP COLUMN technology;
ALTER TABLE panels DROP COLUMN noct_c;
ALTER TABLE panels DROP COLUMN construction;
ALTER TABLE panels DROP COLUMN doubts_kept;
ALTER TABLE panels DROP COLUMN units;
CREATE INDEX panels_by_kind ON panels (kind_id);

-- The plan as it was typed on an older bench stays; the plan itself is a JSON object of the core's record, by its names.
ALTER TABLE tests RENAME COLUMN plan TO plan_as_typed;
ALTER TABLE tests ADD COLUMN plan TEXT;

-- What a rig ends in where that is neither a controller nor a power station: load_tester, resistor, open_circuit, short_circuit; '': not said.
ALTER TABLE rigs ADD COLUMN ends_in TEXT NOT NULL DEFAULT '';

-- The run during which a log was recorded.
ALTER TABLE logs ADD COLUMN run_id INTEGER REFERENCES runs (id);
CREATE INDEX readings_by_replaced ON readings (replaces_id);

-- The same in every bench and every file.
ALTER TABLE places ADD COLUMN uid TEXT NOT NULL DEFAULT '';
UPDATE places SET uid = lower(hex(randomblob(16)));
CREATE UNIQUE INDEX places_by_uid ON places (uid);
