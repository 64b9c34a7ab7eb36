-- +goose Up
-- One source of ids for all tables. An act takes a block of them with its first statement, so that it knows the
-- ids of what it writes before it writes it, and writes everything at once.
CREATE SEQUENCE ids INCREMENT 32;

CREATE TABLE network (
    one      boolean PRIMARY KEY DEFAULT true CHECK (one),
    name     text NOT NULL,
    digits   text NOT NULL CHECK (digits ~ '^[0-9]{4}$'), -- the four digits in every card and item number
    currency text NOT NULL DEFAULT 'CAD',
    timezone text NOT NULL,
    fetch_minutes int NOT NULL DEFAULT 60 CHECK (fetch_minutes >= 0),
    version  bigint NOT NULL DEFAULT 1 -- moves with every change of branches and runs, so that copies know their cache is old
);

-- The training clock: what instant it showed at which real instant. No row: real time.
CREATE TABLE training_clock (
    one     boolean PRIMARY KEY DEFAULT true CHECK (one),
    shows   timestamptz NOT NULL,
    real_at timestamptz NOT NULL DEFAULT clock_timestamp()
);

CREATE TABLE branches (
    code            text PRIMARY KEY CHECK (code ~ '^[A-Z]{3}$'),
    name            text NOT NULL,
    zone            text NOT NULL DEFAULT '',
    timezone        text NOT NULL,
    position        int NOT NULL,
    hours           jsonb NOT NULL DEFAULT '{}',
    closures        jsonb NOT NULL DEFAULT '[]',
    openings        jsonb NOT NULL DEFAULT '[]',
    recurring       jsonb NOT NULL DEFAULT '[]', -- closures that come again by a rule of RFC 5545: [{"from", "days", "rule", "name"}]
    sort_minutes    int NOT NULL DEFAULT 20 CHECK (sort_minutes >= 0),
    receive_minutes int NOT NULL DEFAULT 30 CHECK (receive_minutes >= 0),
    public_shelf    boolean NOT NULL DEFAULT false -- the hold shelf can be seen by the public: shelf names
);

CREATE TABLE runs (
    id       text PRIMARY KEY,
    position int NOT NULL,
    plan     jsonb NOT NULL -- a run of the courier file format
);

CREATE TABLE classes (
    kind     text NOT NULL CHECK (kind IN ('patron', 'material', 'collection')),
    code     text NOT NULL,
    name     text NOT NULL,
    position int NOT NULL,
    PRIMARY KEY (kind, code)
);

-- +goose StatementBegin
CREATE FUNCTION network_changed() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    UPDATE network SET version = version + 1;
    RETURN NULL;
END $$;
-- +goose StatementEnd
CREATE TRIGGER branches_changed AFTER INSERT OR UPDATE OR DELETE ON branches FOR EACH STATEMENT EXECUTE FUNCTION network_changed();
CREATE TRIGGER runs_changed AFTER INSERT OR UPDATE OR DELETE ON runs FOR EACH STATEMENT EXECUTE FUNCTION network_changed();
CREATE TRIGGER classes_changed AFTER INSERT OR UPDATE OR DELETE ON classes FOR EACH STATEMENT EXECUTE FUNCTION network_changed();

CREATE TABLE staff (
    id            bigint PRIMARY KEY DEFAULT nextval('ids'),
    login         text NOT NULL UNIQUE CHECK (login <> ''),
    name          text NOT NULL,
    role          text NOT NULL CHECK (role IN ('administrator', 'supervisor', 'interlibrary', 'desk', 'volunteer')),
    branch_code   text NOT NULL REFERENCES branches,
    password_hash text NOT NULL DEFAULT '', -- empty: cannot sign in by password
    demo          boolean NOT NULL DEFAULT false, -- one click signs in, in the demo only
    active        boolean NOT NULL DEFAULT true
);

CREATE TABLE sessions (
    token    text PRIMARY KEY,
    data     bytea NOT NULL,
    staff_id bigint REFERENCES staff, -- whose it is, so that session and person are found together
    expiry   timestamptz NOT NULL
);
CREATE INDEX sessions_expiry ON sessions (expiry);

-- One row a write that was asked for with a key; the same key gives the same answer.
CREATE TABLE answers (
    key      text PRIMARY KEY,
    staff_id bigint NOT NULL,
    request  text NOT NULL, -- operation and a digest of its input
    response jsonb NOT NULL,
    at       timestamptz NOT NULL DEFAULT clock_timestamp()
);
CREATE INDEX answers_at ON answers (at);

-- Editions of the rulebook. Only a draft may change.
CREATE TABLE editions (
    id         bigint PRIMARY KEY DEFAULT nextval('ids'),
    number     int NOT NULL UNIQUE,
    state      text NOT NULL CHECK (state IN ('draft', 'in_force')),
    starts_on  date,
    started_at timestamptz, -- when it was put in force; of two that start on one day the later counts
    name       text NOT NULL DEFAULT '',
    rules      jsonb NOT NULL, -- a list of rules of the rulebook file format
    from_id    bigint REFERENCES editions,
    revision   int NOT NULL DEFAULT 1,
    reason     text NOT NULL DEFAULT '',
    ranking    text[] NOT NULL DEFAULT '{lending_branch,home_branch,collection,material_class,patron_class}',
    examples   jsonb NOT NULL DEFAULT '[]', -- a list of examples of the rulebook file format
    CHECK ((state = 'in_force') = (starts_on IS NOT NULL AND started_at IS NOT NULL))
);
CREATE INDEX editions_in_force ON editions (starts_on DESC, started_at DESC) WHERE state = 'in_force';
-- +goose StatementBegin
CREATE FUNCTION editions_stay() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF OLD.state = 'in_force' THEN
        RAISE EXCEPTION 'edition % is in force and is never changed', OLD.number;
    END IF;
    IF TG_OP = 'DELETE' THEN RETURN OLD; END IF;
    RETURN NEW;
END $$;
-- +goose StatementEnd
CREATE TRIGGER editions_stay BEFORE UPDATE OR DELETE ON editions FOR EACH ROW EXECUTE FUNCTION editions_stay();

-- +goose Down
DROP TABLE editions, answers, sessions, staff, classes, runs, branches, training_clock, network;
DROP SEQUENCE ids;
DROP FUNCTION editions_stay, network_changed;
