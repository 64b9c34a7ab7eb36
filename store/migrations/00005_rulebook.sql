-- +goose Up
-- The ranking belongs to the edition, so that changing it is tried in a draft like any other change.
ALTER TABLE editions
    ADD ranking  text[] NOT NULL DEFAULT '{lending_branch,home_branch,collection,material_class,patron_class}',
    ADD examples jsonb NOT NULL DEFAULT '[]'; -- a list of examples of the rulebook file format
ALTER TABLE network DROP ranking;

-- "These terms are wrong", sent from a branch to the supervisor.
CREATE TABLE reports (
    id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
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
    id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
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
CREATE INDEX loans_lent ON loans (lent_at);
CREATE INDEX holds_title ON holds (title_id);

-- +goose Down
DROP TABLE rehearsals, reports;
DROP INDEX loans_lent, holds_title;
ALTER TABLE network ADD ranking text[] NOT NULL DEFAULT '{lending_branch,home_branch,collection,material_class,patron_class}';
ALTER TABLE editions DROP ranking, DROP examples;
