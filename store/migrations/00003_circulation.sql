-- +goose Up
CREATE TABLE loans (
    id           bigint PRIMARY KEY DEFAULT nextval('ids'),
    item_id      bigint NOT NULL REFERENCES items,
    patron_id    bigint REFERENCES patrons, -- null: forgotten at the patron's wish
    branch_code  text NOT NULL REFERENCES branches,
    edition_id   bigint NOT NULL REFERENCES editions,
    situation    text[] NOT NULL, -- as classed when lent: lending branch, home branch, collection, material, patron class
    lent_at      timestamptz NOT NULL,
    due_date     date,
    due_at       timestamptz,
    renewals     int NOT NULL DEFAULT 0 CHECK (renewals >= 0),
    renewed_at   timestamptz,
    returned_at  timestamptz,
    undone       boolean NOT NULL DEFAULT false,
    lost_at      timestamptz,
    filled_hold  bigint, -- the hold that this loan filled
    filled_from  text NOT NULL DEFAULT '', -- the state which that hold was in
    told         boolean NOT NULL DEFAULT false, -- overdue as it is due now, and told of: kept, because Today counts it
    CHECK ((due_date IS NULL) <> (due_at IS NULL)),
    CHECK (returned_at IS NULL OR returned_at >= lent_at),
    CHECK (lost_at IS NULL OR lost_at > lent_at),
    CHECK (NOT undone OR returned_at IS NOT NULL),
    CHECK (returned_at IS NOT NULL OR patron_id IS NOT NULL),
    CHECK ((filled_hold IS NULL) = (filled_from = ''))
);
CREATE UNIQUE INDEX loans_one_open ON loans (item_id) WHERE returned_at IS NULL;
CREATE INDEX loans_patron_open ON loans (patron_id) WHERE returned_at IS NULL;
-- What is due is always asked for branch by branch; hour loans are few.
CREATE INDEX loans_due_open ON loans (branch_code, due_date) INCLUDE (told) WHERE returned_at IS NULL AND due_date IS NOT NULL;
CREATE INDEX loans_due_at_open ON loans (due_at) WHERE returned_at IS NULL AND due_at IS NOT NULL;
CREATE INDEX loans_patron ON loans (patron_id, item_id);
-- What the night has told of changes a small part of a big table; counting what is due reads the index alone only where
-- the pages have been vacuumed since.
ALTER TABLE loans SET (autovacuum_vacuum_scale_factor = 0, autovacuum_vacuum_threshold = 20000);
CREATE INDEX loans_item ON loans (item_id, lent_at DESC);
-- Rehearsals and reviews read long stretches of time; each return writes all other indexes of a loan anew.
CREATE INDEX loans_lent ON loans USING brin (lent_at) WITH (pages_per_range = 32);

CREATE TABLE holds (
    id           bigint PRIMARY KEY DEFAULT nextval('ids'),
    title_id     bigint NOT NULL REFERENCES titles,
    patron_id    bigint NOT NULL REFERENCES patrons,
    pickup       text NOT NULL REFERENCES branches,
    only_item    bigint REFERENCES items,
    placed_at    timestamptz NOT NULL,
    place        numeric NOT NULL, -- order in the queue, smaller first
    state        text NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting', 'fetching', 'moving', 'ready', 'filled', 'cancelled', 'lapsed')),
    item_id      bigint REFERENCES items,
    fetch_at     text REFERENCES branches, -- where its item is to be taken from the shelf
    promised_at  timestamptz,
    ready_at     timestamptz,
    shelf_until  date,
    closed_at    timestamptz,
    cleared      boolean NOT NULL DEFAULT false, -- the item of an ended hold has been in somebody's hand since
    why          jsonb,
    CHECK ((state IN ('fetching', 'moving', 'ready')) <= (item_id IS NOT NULL)),
    CHECK (state <> 'waiting' OR item_id IS NULL),
    CHECK ((state = 'fetching') = (fetch_at IS NOT NULL)),
    CHECK ((state = 'ready') <= (shelf_until IS NOT NULL AND ready_at IS NOT NULL)),
    CHECK ((state IN ('filled', 'cancelled', 'lapsed')) = (closed_at IS NOT NULL))
);
CREATE UNIQUE INDEX holds_one_item ON holds (item_id) WHERE state IN ('fetching', 'moving', 'ready');
CREATE UNIQUE INDEX holds_once ON holds (title_id, patron_id) WHERE state IN ('waiting', 'fetching', 'moving', 'ready');
CREATE INDEX holds_title ON holds (title_id, place, id) WHERE closed_at IS NULL;
CREATE INDEX holds_title_past ON holds (title_id, place); -- of all: a hold opened again keeps its place
CREATE INDEX holds_queue ON holds (title_id, place, id) WHERE state = 'waiting';
CREATE INDEX holds_patron ON holds (patron_id) WHERE closed_at IS NULL;
CREATE INDEX holds_uncleared ON holds (item_id) WHERE state IN ('lapsed', 'cancelled') AND item_id IS NOT NULL AND NOT cleared;
CREATE INDEX holds_to_clear ON holds (pickup, closed_at) WHERE state IN ('lapsed', 'cancelled') AND item_id IS NOT NULL AND ready_at IS NOT NULL AND NOT cleared;
CREATE INDEX holds_shelf ON holds (pickup, shelf_until) WHERE state = 'ready';
CREATE INDEX holds_fetching ON holds (fetch_at, promised_at) WHERE state = 'fetching';
CREATE INDEX holds_pickup ON holds (pickup, state, id) WHERE closed_at IS NULL;
ALTER TABLE loans ADD FOREIGN KEY (filled_hold) REFERENCES holds;

-- How often loans were made in a situation, month by month: kept by the nights, because counting a year of loans costs.
CREATE TABLE loan_counts (
    month     date NOT NULL,
    situation text[] NOT NULL,
    n         int NOT NULL CHECK (n > 0),
    PRIMARY KEY (month, situation)
);

-- What was not found on the shelf, until it is seen again.
CREATE TABLE misses (
    hold_id bigint NOT NULL REFERENCES holds,
    item_id bigint NOT NULL REFERENCES items,
    at      timestamptz NOT NULL,
    seen_at timestamptz,
    CHECK (seen_at IS NULL OR seen_at >= at)
);
CREATE UNIQUE INDEX misses_open ON misses (item_id, hold_id) WHERE seen_at IS NULL;
CREATE INDEX misses_hold ON misses (hold_id) WHERE seen_at IS NULL;

CREATE TABLE transits (
    id          bigint PRIMARY KEY DEFAULT nextval('ids'),
    item_id     bigint NOT NULL REFERENCES items,
    from_branch text NOT NULL REFERENCES branches,
    to_branch   text NOT NULL REFERENCES branches,
    hold_id     bigint REFERENCES holds,
    sent_at     timestamptz NOT NULL,
    promised_at timestamptz,
    ended_at    timestamptz,
    why         jsonb,
    CHECK (from_branch <> to_branch)
);
CREATE UNIQUE INDEX transits_one_live ON transits (item_id) WHERE ended_at IS NULL;
CREATE INDEX transits_to ON transits (to_branch, promised_at, id) WHERE ended_at IS NULL;
CREATE INDEX transits_from ON transits (from_branch, promised_at, id) WHERE ended_at IS NULL;

-- Where an item is, if it is not free on its shelf: with a patron, under way, being fetched, on a hold shelf, or out of
-- use. The triggers below keep it; its primary key refuses two places at once, whichever tables they come from.
CREATE TABLE whereabouts (
    item_id bigint PRIMARY KEY,
    place   text NOT NULL CHECK (place IN ('lent', 'under_way', 'fetching', 'hold_shelf', 'aside')),
    ref     bigint NOT NULL -- the loan, transit or hold; the item itself where it is out of use
);
-- +goose StatementBegin
CREATE FUNCTION loan_place() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF NEW.returned_at IS NULL THEN
        INSERT INTO whereabouts VALUES (NEW.item_id, 'lent', NEW.id);
    ELSE
        DELETE FROM whereabouts WHERE item_id = NEW.item_id AND place = 'lent' AND ref = NEW.id;
    END IF;
    RETURN NULL;
END $$;
CREATE FUNCTION transit_place() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF NEW.ended_at IS NULL THEN
        INSERT INTO whereabouts VALUES (NEW.item_id, 'under_way', NEW.id);
    ELSE
        DELETE FROM whereabouts WHERE item_id = NEW.item_id AND place = 'under_way' AND ref = NEW.id;
    END IF;
    RETURN NULL;
END $$;
CREATE FUNCTION hold_place() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF TG_OP = 'UPDATE' AND OLD.state IN ('fetching', 'ready') THEN
        DELETE FROM whereabouts WHERE item_id = OLD.item_id AND place IN ('fetching', 'hold_shelf') AND ref = OLD.id;
    END IF;
    IF NEW.state IN ('fetching', 'ready') THEN
        INSERT INTO whereabouts VALUES (NEW.item_id, CASE NEW.state WHEN 'ready' THEN 'hold_shelf' ELSE 'fetching' END, NEW.id);
    END IF;
    RETURN NULL;
END $$;
CREATE FUNCTION item_place() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF NEW.standing IN ('aside', 'missing', 'withdrawn') THEN
        INSERT INTO whereabouts VALUES (NEW.id, 'aside', NEW.id)
            ON CONFLICT (item_id) DO UPDATE SET place = 'aside' WHERE whereabouts.place = 'aside';
        IF NOT EXISTS (SELECT 1 FROM whereabouts WHERE item_id = NEW.id AND place = 'aside') THEN
            RAISE unique_violation USING MESSAGE = 'item ' || NEW.id || ' is somewhere else, so it cannot be out of use', CONSTRAINT = 'whereabouts_pkey';
        END IF;
    ELSE
        DELETE FROM whereabouts WHERE item_id = NEW.id AND place = 'aside';
    END IF;
    RETURN NULL;
END $$;
-- +goose StatementEnd
CREATE TRIGGER loans_begun AFTER INSERT ON loans FOR EACH ROW WHEN (NEW.returned_at IS NULL) EXECUTE FUNCTION loan_place();
CREATE TRIGGER loans_ended AFTER UPDATE OF returned_at ON loans FOR EACH ROW
    WHEN ((OLD.returned_at IS NULL) <> (NEW.returned_at IS NULL)) EXECUTE FUNCTION loan_place();
CREATE TRIGGER transits_begun AFTER INSERT ON transits FOR EACH ROW WHEN (NEW.ended_at IS NULL) EXECUTE FUNCTION transit_place();
CREATE TRIGGER transits_ended AFTER UPDATE OF ended_at ON transits FOR EACH ROW
    WHEN ((OLD.ended_at IS NULL) <> (NEW.ended_at IS NULL)) EXECUTE FUNCTION transit_place();
CREATE TRIGGER holds_begun AFTER INSERT ON holds FOR EACH ROW WHEN (NEW.state IN ('fetching', 'ready')) EXECUTE FUNCTION hold_place();
CREATE TRIGGER holds_moved AFTER UPDATE OF state, item_id ON holds FOR EACH ROW
    WHEN (OLD.state <> NEW.state OR OLD.item_id IS DISTINCT FROM NEW.item_id) EXECUTE FUNCTION hold_place();
CREATE TRIGGER items_added AFTER INSERT ON items FOR EACH ROW WHEN (NEW.standing IN ('aside', 'missing', 'withdrawn')) EXECUTE FUNCTION item_place();
CREATE TRIGGER items_stand AFTER UPDATE OF standing ON items FOR EACH ROW WHEN (OLD.standing <> NEW.standing) EXECUTE FUNCTION item_place();

-- +goose Down
DROP TABLE whereabouts, transits, misses, loan_counts, loans, holds;
DROP FUNCTION loan_place, transit_place, hold_place;
DROP FUNCTION item_place CASCADE;
