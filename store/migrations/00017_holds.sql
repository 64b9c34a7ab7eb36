-- +goose Up
-- Copies of a title may be of several editions and volumes; a hold may be for one of them only. Empty: as the title says; null: any.
ALTER TABLE items
    ADD COLUMN edition text NOT NULL DEFAULT '' CHECK (length(edition) <= 100),
    ADD COLUMN volume  text NOT NULL DEFAULT '' CHECK (length(volume) <= 100);
ALTER TABLE holds
    ADD COLUMN band         smallint NOT NULL DEFAULT 0 CHECK (band BETWEEN -1 AND 1), -- all of a lower one stand before a higher one
    ADD COLUMN moved        boolean NOT NULL DEFAULT false, -- to its place by hand: it keeps its band
    ADD COLUMN only_edition text,
    ADD COLUMN only_volume  text,
    ADD COLUMN wanted_until date, -- the last day on which it is of interest
    ADD COLUMN passed_days  int NOT NULL DEFAULT 0 CHECK (passed_days >= 0), -- by so much readers elsewhere came before it
    ADD COLUMN slot         int CHECK (slot > 0), -- of the hold shelf
    ADD COLUMN taken_by     bigint REFERENCES staff, -- who is on the way to its item on the fetch list
    ADD COLUMN taken_at     timestamptz;

-- Of a title with volumes somebody may wait for several, once for each.
DROP INDEX holds_once;
CREATE UNIQUE INDEX holds_once ON holds (title_id, patron_id, coalesce(only_volume, ''))
    WHERE state IN ('waiting', 'fetching', 'moving', 'ready');
DROP INDEX holds_title;
DROP INDEX holds_queue;
CREATE INDEX holds_title ON holds (title_id, band, place, id) WHERE closed_at IS NULL;
CREATE INDEX holds_queue ON holds (title_id, band, place, id) WHERE state = 'waiting';
CREATE INDEX holds_wanted ON holds (wanted_until, id) WHERE wanted_until IS NOT NULL AND state IN ('waiting', 'fetching');
CREATE INDEX holds_placed ON holds (placed_at);
CREATE INDEX events_hold ON events (hold_id, at) WHERE hold_id IS NOT NULL;

-- Hold shelves may have numbered slots; 0: they go by name.
ALTER TABLE branches ADD COLUMN slots int NOT NULL DEFAULT 0 CHECK (slots BETWEEN 0 AND 999);

-- What was said of when a hold would be ready, when it was placed, and what came of it.
CREATE TABLE foretold (
    hold_id  bigint PRIMARY KEY REFERENCES holds ON DELETE CASCADE,
    said_at  timestamptz NOT NULL,
    likely   date NOT NULL,
    earliest date NOT NULL,
    latest   date NOT NULL,
    at_once  boolean NOT NULL, -- a copy was free
    came     date,             -- when it was ready for the first time
    CHECK (earliest <= likely AND likely <= latest)
);
CREATE INDEX foretold_came ON foretold (came) WHERE came IS NOT NULL;

-- What the network's own past has shown, by which forecasts are made. One row.
CREATE TABLE habits (
    one        boolean PRIMARY KEY DEFAULT true CHECK (one),
    learned_at timestamptz NOT NULL,
    data       jsonb NOT NULL
);
CREATE TRIGGER habits_changed AFTER INSERT OR UPDATE OR DELETE ON habits FOR EACH STATEMENT EXECUTE FUNCTION network_changed();

-- The courier's runs are changed and taken back like all that the network is made of.
ALTER TABLE changes DROP CONSTRAINT changes_part_check, ADD CONSTRAINT changes_part_check
    CHECK (part IN ('settings', 'numbers', 'network', 'branch', 'station', 'class', 'choice', 'staff', 'partner', 'run'));

-- What was sent and has not come: both ends have been asked to look.
ALTER TABLE transits ADD COLUMN reminded_at timestamptz;
CREATE INDEX transits_sent ON transits (sent_at);
CREATE INDEX transits_late ON transits (promised_at, id) WHERE ended_at IS NULL;

-- +goose Down
DROP INDEX transits_sent, transits_late;
ALTER TABLE transits DROP COLUMN reminded_at;
DELETE FROM changes WHERE part = 'run';
ALTER TABLE changes DROP CONSTRAINT changes_part_check, ADD CONSTRAINT changes_part_check
    CHECK (part IN ('settings', 'numbers', 'network', 'branch', 'station', 'class', 'choice', 'staff', 'partner'));
DROP TABLE habits, foretold;
DROP INDEX events_hold, holds_placed, holds_wanted, holds_queue, holds_title, holds_once;
ALTER TABLE branches DROP COLUMN slots;
ALTER TABLE holds DROP COLUMN band, DROP COLUMN moved, DROP COLUMN only_edition, DROP COLUMN only_volume, DROP COLUMN wanted_until,
    DROP COLUMN passed_days, DROP COLUMN slot, DROP COLUMN taken_by, DROP COLUMN taken_at;
ALTER TABLE items DROP COLUMN edition, DROP COLUMN volume;
CREATE UNIQUE INDEX holds_once ON holds (title_id, patron_id) WHERE state IN ('waiting', 'fetching', 'moving', 'ready');
CREATE INDEX holds_title ON holds (title_id, place, id) WHERE closed_at IS NULL;
CREATE INDEX holds_queue ON holds (title_id, place, id) WHERE state = 'waiting';
