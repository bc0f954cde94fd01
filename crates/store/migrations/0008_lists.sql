-- Lists of tests come a part at a time, the newest first, also of one panel.
DROP INDEX tests_by_panel;
CREATE INDEX tests_by_time ON tests (created_utc, id);
CREATE INDEX tests_by_panel ON tests (panel_id, created_utc, id);
