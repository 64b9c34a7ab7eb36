-- Files of other systems, taken in: sent in parts, read through, tried line by line, taken in one go and taken back as one.
-- +goose Up
CREATE TABLE intakes (
    id        bigint PRIMARY KEY DEFAULT nextval('ids'),
    kind      text NOT NULL CHECK (kind IN ('patrons', 'stock', 'loans', 'holds', 'balances')),
    source    text NOT NULL CHECK (source <> ''),
    file      text NOT NULL,
    bytes     bigint NOT NULL CHECK (bytes > 0),
    state     text NOT NULL DEFAULT 'sending'
        CHECK (state IN ('sending', 'reading', 'read', 'trying', 'tried', 'taking', 'taken', 'undoing', 'undone', 'dropped')),
    problem   text NOT NULL DEFAULT '',
    done      bigint NOT NULL DEFAULT 0,
    total     bigint NOT NULL DEFAULT 0,
    seen      jsonb,
    mapping   jsonb,
    counts    jsonb,
    staff_id  bigint NOT NULL REFERENCES staff (id),
    asked_by  bigint REFERENCES staff (id),
    begun_at  timestamptz NOT NULL,
    taken_at  timestamptz,
    undone_at timestamptz,
    seconds   double precision NOT NULL DEFAULT 0,
    -- Who is at it, by a name of its own, and when it last said so: one who is gone is followed by another.
    worker    text NOT NULL DEFAULT '',
    beat_at   timestamptz
);
CREATE INDEX intakes_order ON intakes (id DESC) WHERE state <> 'dropped';

CREATE TABLE intake_parts (
    intake_id bigint NOT NULL REFERENCES intakes (id) ON DELETE CASCADE,
    begins    bigint NOT NULL CHECK (begins >= 0),
    content   bytea NOT NULL CHECK (length(content) > 0),
    PRIMARY KEY (intake_id, begins)
);

-- What is to become of each line. Part 0 of a line of stock is its title, 1 and on its items.
CREATE TABLE intake_lines (
    intake_id bigint NOT NULL REFERENCES intakes (id) ON DELETE CASCADE,
    line      integer NOT NULL,
    part      integer NOT NULL DEFAULT 0,
    kind      text NOT NULL CHECK (kind IN ('patrons', 'titles', 'items', 'loans', 'holds', 'balances')),
    number    text NOT NULL,
    outcome   text NOT NULL CHECK (outcome IN ('new', 'joined', 'changed', 'same', 'left')),
    says      text NOT NULL DEFAULT '',
    ref       bigint,
    digest    text NOT NULL DEFAULT '',
    ready     jsonb,
    PRIMARY KEY (intake_id, line, part)
);
CREATE INDEX intake_lines_number ON intake_lines (intake_id, kind, number) WHERE outcome <> 'left';
CREATE INDEX intake_lines_says ON intake_lines (intake_id, line, part) WHERE outcome = 'left' OR says <> '';
CREATE INDEX intake_lines_take ON intake_lines (intake_id, kind, outcome, line, part);

-- From where something came, by its number there; with what it was before, where it was here already and was changed.
CREATE TABLE came_from (
    source    text NOT NULL,
    kind      text NOT NULL CHECK (kind IN ('patrons', 'titles', 'items', 'loans', 'holds', 'balances', 'households')),
    number    text NOT NULL,
    ref       bigint NOT NULL,
    digest    text NOT NULL,
    intake_id bigint NOT NULL REFERENCES intakes (id),
    added     boolean NOT NULL,
    was       jsonb,
    was_digest text,
    was_intake bigint,
    revision  integer NOT NULL DEFAULT 1,
    PRIMARY KEY (source, kind, number)
);
CREATE INDEX came_from_intake ON came_from (intake_id, kind);
CREATE INDEX came_from_ref ON came_from (ref);

-- What is deleted when an intake is taken back is looked for in all that may speak of it.
CREATE INDEX holds_item ON holds (item_id) WHERE item_id IS NOT NULL;
CREATE INDEX transits_item ON transits (item_id);
CREATE INDEX holds_only ON holds (only_item) WHERE only_item IS NOT NULL;
CREATE INDEX loans_filled ON loans (filled_hold) WHERE filled_hold IS NOT NULL;
CREATE INDEX return_lines_of_item ON return_lines (item_id) WHERE item_id IS NOT NULL;
CREATE INDEX inventory_lines_item ON inventory_lines (item_id) WHERE item_id IS NOT NULL;
CREATE INDEX transits_hold ON transits (hold_id) WHERE hold_id IS NOT NULL;
CREATE INDEX told_hold ON told (hold_id) WHERE hold_id IS NOT NULL;
CREATE INDEX sweep_lines_loan ON sweep_lines (loan_id) WHERE loan_id IS NOT NULL;
CREATE INDEX sweep_lines_hold ON sweep_lines (hold_id) WHERE hold_id IS NOT NULL;
CREATE INDEX reports_item ON reports (item_id) WHERE item_id IS NOT NULL;
CREATE INDEX reports_loan ON reports (loan_id) WHERE loan_id IS NOT NULL;
CREATE INDEX rosters_adult ON rosters (adult_id) WHERE adult_id IS NOT NULL;
CREATE INDEX partners_patron ON partners (patron_id) WHERE patron_id IS NOT NULL;

-- Patrons who look after themselves: who is signed in, and holds that wait until a day.
CREATE TABLE patron_sessions (
    token     bytea PRIMARY KEY,
    patron_id bigint NOT NULL REFERENCES patrons (id) ON DELETE CASCADE,
    begun_at  timestamptz NOT NULL DEFAULT now(),
    seen_at   timestamptz NOT NULL DEFAULT now(),
    -- What the page says next, once.
    says      text NOT NULL DEFAULT '',
    bad       boolean NOT NULL DEFAULT false
);
CREATE INDEX patron_sessions_patron ON patron_sessions (patron_id);
ALTER TABLE holds ADD COLUMN paused_until date,
    ADD CONSTRAINT holds_paused CHECK (paused_until IS NULL OR state IN ('waiting', 'cancelled', 'lapsed', 'filled'));
CREATE INDEX holds_paused ON holds (paused_until, id) WHERE paused_until IS NOT NULL AND state = 'waiting';

-- +goose Down
ALTER TABLE holds DROP COLUMN paused_until;
DROP TABLE patron_sessions;
DROP INDEX holds_item, transits_item, holds_only, loans_filled, return_lines_of_item, inventory_lines_item, transits_hold, told_hold, sweep_lines_loan,
    sweep_lines_hold, reports_item, reports_loan, rosters_adult, partners_patron;
DROP TABLE came_from, intake_lines, intake_parts, intakes;
