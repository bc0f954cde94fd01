-- A panel whose label nobody has read is measured and compared all the same: the rated watts may be unknown.
-- SQLite takes no NOT NULL off a column, so that its figures move into a new one.

DROP TRIGGER kinds_as_they_were;
ALTER TABLE panel_kinds RENAME COLUMN rated_w TO rated_before_w;
ALTER TABLE panel_kinds ADD COLUMN rated_w REAL;  -- W; NULL: nobody has read the label
UPDATE panel_kinds SET rated_w = rated_before_w;
ALTER TABLE panel_kinds DROP COLUMN rated_before_w;
CREATE TRIGGER kinds_as_they_were BEFORE UPDATE ON panel_kinds WHEN OLD.uid = NEW.uid
BEGIN
    INSERT INTO revisions (what, row_id, until_utc, content) VALUES ('panel_kinds', OLD.id, strftime('%Y-%m-%dT%H:%M:%SZ', 'now'),
        json_object('uid', OLD.uid, 'name', OLD.name, 'price', OLD.price, 'rated_w', OLD.rated_w, 'tolerance', OLD.tolerance,
                    'voc_v', OLD.voc_v, 'isc_a', OLD.isc_a, 'vmp_v', OLD.vmp_v, 'imp_a', OLD.imp_a, 'alpha_isc', OLD.alpha_isc,
                    'beta_voc', OLD.beta_voc, 'gamma_pmax', OLD.gamma_pmax, 'cells_in_series', OLD.cells_in_series,
                    'technology', OLD.technology, 'noct_c', OLD.noct_c, 'construction', OLD.construction, 'length_m', OLD.length_m,
                    'width_m', OLD.width_m, 'bifaciality', OLD.bifaciality, 'weight_kg', OLD.weight_kg,
                    'degradation_percent_per_year', OLD.degradation_percent_per_year, 'doubts_kept', OLD.doubts_kept));
END;
