-- +goose Up
CREATE EXTENSION IF NOT EXISTS pg_trgm;

CREATE TABLE households (
    id   bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name text NOT NULL
);

CREATE TABLE patrons (
    id             bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    card           text NOT NULL UNIQUE CHECK (card ~ '^2[0-9]{13}$'),
    legal_name     text NOT NULL CHECK (legal_name <> ''),
    preferred_name text NOT NULL DEFAULT '',
    shelf_name     text NOT NULL,
    born           date,
    class          text NOT NULL,
    branch_code    text NOT NULL REFERENCES branches,
    household_id   bigint REFERENCES households,
    standing       text NOT NULL DEFAULT 'active' CHECK (standing IN ('active', 'inactive', 'excluded')),
    card_until     date,
    email          text NOT NULL DEFAULT '',
    phone          text NOT NULL DEFAULT '',
    address        text NOT NULL DEFAULT '',
    note           text NOT NULL DEFAULT '',
    older_reader   boolean, -- a guardian's answer; null: never asked
    balance        bigint NOT NULL DEFAULT 0 CHECK (balance >= 0), -- minor units; kept by the ledger's trigger alone
    words          text GENERATED ALWAYS AS (lower(legal_name || ' ' || preferred_name || ' ' || shelf_name || ' ' || card || ' ' || email)) STORED
);
CREATE INDEX patrons_words ON patrons USING gin (words gin_trgm_ops);
CREATE INDEX patrons_household ON patrons (household_id);

CREATE TABLE titles (
    id     bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name   text NOT NULL CHECK (name <> ''),
    author text NOT NULL DEFAULT '',
    isbn   text NOT NULL DEFAULT '',
    year   int,
    words  text GENERATED ALWAYS AS (lower(name || ' ' || author || ' ' || isbn)) STORED
);
CREATE INDEX titles_words ON titles USING gin (words gin_trgm_ops);

CREATE TABLE items (
    id             bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    barcode        text NOT NULL UNIQUE CHECK (barcode ~ '^3[0-9]{13}$'),
    title_id       bigint NOT NULL REFERENCES titles,
    branch_code    text NOT NULL REFERENCES branches,         -- where it belongs
    at_branch      text NOT NULL REFERENCES branches,         -- where it is, or was last seen
    collection     text NOT NULL,
    material       text NOT NULL,
    call_number    text NOT NULL DEFAULT '',
    price          bigint CHECK (price >= 0),
    note           text NOT NULL DEFAULT '',
    own_terms      jsonb,
    standing       text NOT NULL DEFAULT 'in_use' CHECK (standing IN ('in_use', 'missing', 'aside', 'withdrawn')),
    added_on       date NOT NULL DEFAULT '2020-01-01'
);
CREATE INDEX items_title ON items (title_id);
CREATE INDEX items_at ON items (at_branch, call_number);

CREATE TABLE loans (
    id           bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
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
    CHECK ((due_date IS NULL) <> (due_at IS NULL)),
    CHECK (returned_at IS NULL OR returned_at >= lent_at),
    CHECK (NOT undone OR returned_at IS NOT NULL),
    CHECK (returned_at IS NOT NULL OR patron_id IS NOT NULL)
);
CREATE UNIQUE INDEX loans_one_open ON loans (item_id) WHERE returned_at IS NULL;
CREATE INDEX loans_patron_open ON loans (patron_id) WHERE returned_at IS NULL;
CREATE INDEX loans_due_open ON loans (due_date) WHERE returned_at IS NULL;
CREATE INDEX loans_patron ON loans (patron_id, lent_at DESC);
CREATE INDEX loans_item ON loans (item_id, lent_at DESC);

CREATE TABLE holds (
    id           bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    title_id     bigint NOT NULL REFERENCES titles,
    patron_id    bigint NOT NULL REFERENCES patrons,
    pickup       text NOT NULL REFERENCES branches,
    only_item    bigint REFERENCES items,
    placed_at    timestamptz NOT NULL,
    place        numeric NOT NULL, -- order in the queue, smaller first
    state        text NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting', 'fetching', 'moving', 'ready', 'filled', 'cancelled', 'lapsed')),
    item_id      bigint REFERENCES items,
    promised_at  timestamptz,
    ready_at     timestamptz,
    shelf_until  date,
    closed_at    timestamptz,
    cleared      boolean NOT NULL DEFAULT false, -- the item of an ended hold has been in somebody's hand since
    why          jsonb,
    CHECK ((state IN ('fetching', 'moving', 'ready')) <= (item_id IS NOT NULL)),
    CHECK (state <> 'waiting' OR item_id IS NULL),
    CHECK ((state = 'ready') <= (shelf_until IS NOT NULL AND ready_at IS NOT NULL)),
    CHECK ((state IN ('filled', 'cancelled', 'lapsed')) = (closed_at IS NOT NULL))
);
CREATE UNIQUE INDEX holds_one_item ON holds (item_id) WHERE state IN ('fetching', 'moving', 'ready');
CREATE UNIQUE INDEX holds_once ON holds (title_id, patron_id) WHERE state IN ('waiting', 'fetching', 'moving', 'ready');
CREATE INDEX holds_queue ON holds (title_id, place) WHERE state = 'waiting';
CREATE INDEX holds_patron ON holds (patron_id) WHERE closed_at IS NULL;
CREATE INDEX holds_uncleared ON holds (item_id) WHERE state IN ('lapsed', 'cancelled') AND item_id IS NOT NULL AND NOT cleared;
CREATE INDEX holds_shelf ON holds (pickup, shelf_until) WHERE state = 'ready';

-- What to look at when a title's queue is routed next, and what a branch has missed.
CREATE TABLE misses (
    hold_id bigint NOT NULL REFERENCES holds,
    item_id bigint NOT NULL REFERENCES items,
    at      timestamptz NOT NULL,
    PRIMARY KEY (hold_id, item_id)
);

CREATE TABLE transits (
    id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
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
CREATE INDEX transits_to ON transits (to_branch, promised_at) WHERE ended_at IS NULL;
CREATE INDEX transits_from ON transits (from_branch) WHERE ended_at IS NULL;

-- The ledger. Charges are positive; what settles them is negative and names the charge.
CREATE TABLE ledger (
    id        bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    patron_id bigint NOT NULL REFERENCES patrons,
    kind      text NOT NULL CHECK (kind IN ('charge', 'payment', 'waiver', 'correction')),
    amount    bigint NOT NULL CHECK (amount <> 0),
    settles   bigint REFERENCES ledger,
    loan_id   bigint REFERENCES loans,
    means     text NOT NULL DEFAULT '' CHECK (means IN ('', 'cash', 'card', 'cheque')),
    reason    text NOT NULL DEFAULT '',
    why       jsonb,
    at        timestamptz NOT NULL,
    staff_id  bigint REFERENCES staff,
    branch_code text REFERENCES branches,
    CHECK (kind = 'charge' AND amount > 0 AND settles IS NULL OR kind <> 'charge' AND amount < 0 AND settles IS NOT NULL)
);
CREATE INDEX ledger_patron ON ledger (patron_id, id);
CREATE INDEX ledger_settles ON ledger (settles);
CREATE INDEX ledger_loan ON ledger (loan_id);
-- +goose StatementBegin
CREATE FUNCTION ledger_added() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE owed bigint;
BEGIN
    UPDATE patrons SET balance = balance + NEW.amount WHERE id = NEW.patron_id;
    IF NEW.settles IS NOT NULL THEN
        PERFORM 1 FROM ledger WHERE id = NEW.settles AND patron_id = NEW.patron_id AND kind = 'charge' FOR UPDATE;
        IF NOT FOUND THEN RAISE EXCEPTION 'entry % settles no charge of this patron', NEW.id; END IF;
        SELECT sum(amount) INTO owed FROM ledger WHERE id = NEW.settles OR settles = NEW.settles;
        IF owed < 0 THEN RAISE EXCEPTION 'charge % would be settled by more than it is', NEW.settles USING ERRCODE = 'check_violation'; END IF;
    END IF;
    RETURN NULL;
END $$;
CREATE FUNCTION never_changed() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    RAISE EXCEPTION 'entries of % are never changed or deleted', TG_TABLE_NAME;
END $$;
-- +goose StatementEnd
CREATE TRIGGER ledger_added AFTER INSERT ON ledger FOR EACH ROW EXECUTE FUNCTION ledger_added();
CREATE TRIGGER ledger_stays BEFORE UPDATE OR DELETE ON ledger FOR EACH ROW EXECUTE FUNCTION never_changed();

-- Runs of returns and their lines, so that a run is still there on coming back.
CREATE TABLE return_runs (
    id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    branch_code text NOT NULL REFERENCES branches,
    mode        text NOT NULL CHECK (mode IN ('bin', 'patron')),
    counted_as  date,
    staff_id    bigint NOT NULL REFERENCES staff,
    opened_at   timestamptz NOT NULL,
    finished_at timestamptz
);
CREATE UNIQUE INDEX return_runs_one_open ON return_runs (branch_code, staff_id, mode) WHERE finished_at IS NULL;
CREATE TABLE return_lines (
    id        bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    run_id    bigint NOT NULL REFERENCES return_runs,
    at        timestamptz NOT NULL,
    text      text NOT NULL,
    item_id   bigint REFERENCES items,
    loan_id   bigint REFERENCES loans,
    patron_id bigint REFERENCES patrons,
    found     text NOT NULL,
    sign      jsonb NOT NULL,
    why       jsonb,
    fine      bigint NOT NULL DEFAULT 0 CHECK (fine >= 0),
    charge_id bigint REFERENCES ledger,
    answer    text NOT NULL DEFAULT '' CHECK (answer IN ('', 'open', 'paid', 'account', 'waived')),
    undone    boolean NOT NULL DEFAULT false
);
CREATE INDEX return_lines_run ON return_lines (run_id, id DESC);

-- What happened. Never changed; a month is a partition.
CREATE TABLE events (
    id          bigint GENERATED ALWAYS AS IDENTITY,
    at          timestamptz NOT NULL,
    kind        text NOT NULL,
    staff_id    bigint,
    branch_code text,
    patron_id   bigint,
    item_id     bigint,
    loan_id     bigint,
    hold_id     bigint,
    request_id  bigint,
    text        text NOT NULL,
    why         jsonb,
    PRIMARY KEY (id, at)
) PARTITION BY RANGE (at);
CREATE TABLE events_other PARTITION OF events DEFAULT;
-- +goose StatementBegin
DO $$
DECLARE month date := '2025-09-01';
BEGIN
    WHILE month < '2029-01-01' LOOP
        EXECUTE format('CREATE TABLE events_%s PARTITION OF events FOR VALUES FROM (%L) TO (%L)', to_char(month, 'YYYY_MM'), month, month + interval '1 month');
        month := month + interval '1 month';
    END LOOP;
END $$;
-- +goose StatementEnd
CREATE INDEX events_patron ON events (patron_id, at DESC);
CREATE INDEX events_item ON events (item_id, at DESC);
CREATE TRIGGER events_stay BEFORE UPDATE OR DELETE ON events FOR EACH ROW EXECUTE FUNCTION never_changed();

-- Nights done, mailings and their messages. One message of a stage for a loan, ever.
CREATE TABLE nights (day date PRIMARY KEY, done_at timestamptz NOT NULL);
CREATE TABLE mailings (
    id      bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    stage   text NOT NULL,
    day     date NOT NULL,
    state   text NOT NULL CHECK (state IN ('trial', 'sent', 'dropped')),
    sent_at timestamptz,
    UNIQUE (stage, day)
);
CREATE TABLE messages (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    mailing_id bigint REFERENCES mailings,
    stage      text NOT NULL,
    patron_id  bigint NOT NULL REFERENCES patrons,
    address    text NOT NULL,
    subject    text NOT NULL,
    body       text NOT NULL,
    state      text NOT NULL CHECK (state IN ('trial', 'left_out', 'queued', 'sending', 'sent', 'unclear', 'no_address')),
    tries      int NOT NULL DEFAULT 0,
    problem    text NOT NULL DEFAULT '',
    at         timestamptz NOT NULL,
    sent_at    timestamptz,
    UNIQUE (mailing_id, patron_id)
);
CREATE INDEX messages_queued ON messages (state) WHERE state IN ('queued', 'sending', 'unclear');
CREATE TABLE told (
    stage      text NOT NULL,
    loan_id    bigint REFERENCES loans,
    hold_id    bigint REFERENCES holds,
    due        text NOT NULL DEFAULT '', -- the due date told of: a renewed loan is told of anew
    message_id bigint NOT NULL REFERENCES messages ON DELETE CASCADE,
    CHECK ((loan_id IS NULL) <> (hold_id IS NULL))
);
CREATE UNIQUE INDEX told_loan ON told (loan_id, stage, due) WHERE loan_id IS NOT NULL;
CREATE UNIQUE INDEX told_hold ON told (hold_id, stage, due) WHERE hold_id IS NOT NULL;
CREATE INDEX told_message ON told (message_id);

-- +goose Down
DROP TABLE told, messages, mailings, nights, events, return_lines, return_runs, ledger, transits, misses, holds, loans, items, titles, patrons, households;
DROP FUNCTION ledger_added, never_changed;
