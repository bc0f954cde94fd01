-- What a shade does to a panel depends on where its cells and diodes lie, and on which way round it stands.

ALTER TABLE panels ADD COLUMN construction TEXT NOT NULL DEFAULT '';         -- by the core's names; '': the likeliest for its cells
ALTER TABLE tests ADD COLUMN mounting TEXT NOT NULL DEFAULT 'portrait';      -- portrait: the long side upright; landscape: lying
