-- +goose Up
-- Closures that come again by a recurrence rule (RFC 5545): [{"from", "days", "rule", "name"}].
ALTER TABLE branches ADD recurring jsonb NOT NULL DEFAULT '[]';

-- One change to many records: what was before and after, so that it can be seen and undone.
CREATE TABLE sweeps (
    id        bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
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
DROP TABLE sweep_lines, sweeps;
ALTER TABLE branches DROP recurring;
