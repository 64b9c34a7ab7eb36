-- +goose Up
-- "These terms are wrong", sent from a branch to the supervisor.
CREATE TABLE reports (
    id          bigint PRIMARY KEY DEFAULT nextval('ids'),
    at          timestamptz NOT NULL,
    staff_id    bigint NOT NULL REFERENCES staff,
    branch_code text NOT NULL REFERENCES branches,
    patron_id   bigint REFERENCES patrons,
    item_id     bigint REFERENCES items,
    loan_id     bigint REFERENCES loans,
    happened    text NOT NULL CHECK (happened <> ''),
    expected    text NOT NULL DEFAULT '',
    answer      text NOT NULL DEFAULT '',
    answered_by bigint REFERENCES staff,
    answered_at timestamptz,
    CHECK ((answered_at IS NULL) = (answered_by IS NULL)),
    CHECK ((answered_at IS NULL) = (answer = ''))
);
CREATE INDEX reports_open ON reports (at) WHERE answered_at IS NULL;

-- A draft tried on what really happened.
CREATE TABLE rehearsals (
    id          bigint PRIMARY KEY DEFAULT nextval('ids'),
    edition_id  bigint NOT NULL REFERENCES editions ON DELETE CASCADE,
    revision    int NOT NULL, -- of the draft when it was begun
    since       date NOT NULL,
    until       date NOT NULL,
    state       text NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting', 'running', 'done', 'stopped', 'failed')),
    done        int NOT NULL DEFAULT 0,
    total       int NOT NULL DEFAULT 0,
    result      jsonb,
    problem     text NOT NULL DEFAULT '',
    staff_id    bigint NOT NULL REFERENCES staff,
    begun_at    timestamptz NOT NULL,
    seconds     double precision NOT NULL DEFAULT 0,
    CHECK (until >= since),
    CHECK ((state = 'done') = (result IS NOT NULL))
);
CREATE INDEX rehearsals_edition ON rehearsals (edition_id, id DESC);

-- One change to many records: what was before and after, so that it can be seen and undone.
CREATE TABLE sweeps (
    id        bigint PRIMARY KEY DEFAULT nextval('ids'),
    at        timestamptz NOT NULL,
    staff_id  bigint NOT NULL REFERENCES staff,
    text      text NOT NULL,
    branches  jsonb NOT NULL, -- calendars of the branches before: {"SLM": {"hours", "closures", "openings", "recurring"}}
    changed   jsonb NOT NULL, -- and after
    undone_at timestamptz,
    undone_by bigint REFERENCES staff,
    CHECK ((undone_at IS NULL) = (undone_by IS NULL))
);
CREATE TABLE sweep_lines (
    sweep_id   bigint NOT NULL REFERENCES sweeps,
    loan_id    bigint REFERENCES loans,
    hold_id    bigint REFERENCES holds,
    day_before date,
    day_after  date,
    at_before  timestamptz,
    at_after   timestamptz,
    CHECK ((loan_id IS NULL) <> (hold_id IS NULL)),
    CHECK ((day_before IS NULL) <> (at_before IS NULL)),
    CHECK ((day_before IS NULL) = (day_after IS NULL)),
    CHECK ((at_before IS NULL) = (at_after IS NULL))
);
CREATE INDEX sweep_lines_sweep ON sweep_lines (sweep_id);

-- +goose Down
DROP TABLE sweep_lines, sweeps, rehearsals, reports;
