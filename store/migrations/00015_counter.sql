-- +goose Up
-- A branch has bins, by name; one without any has one that needs none.
ALTER TABLE branches ADD COLUMN bins text[] NOT NULL DEFAULT '{}' CHECK (array_position(bins, '') IS NULL AND cardinality(bins) <= 20);

-- A bin is emptied by whoever is there, at two stations if need be: its run is one. A patron is at one desk.
UPDATE return_runs r SET finished_at = greatest(now(), r.opened_at) WHERE mode = 'bin' AND finished_at IS NULL
    AND EXISTS (SELECT 1 FROM return_runs o WHERE o.branch_code = r.branch_code AND o.mode = 'bin' AND o.bin = r.bin
        AND o.finished_at IS NULL AND o.id > r.id);
DROP INDEX return_runs_one_open;
CREATE UNIQUE INDEX return_runs_one_bin ON return_runs (branch_code, bin) WHERE mode = 'bin' AND finished_at IS NULL;
CREATE UNIQUE INDEX return_runs_one_desk ON return_runs (branch_code, staff_id) WHERE mode = 'patron' AND finished_at IS NULL;
CREATE INDEX return_runs_bin ON return_runs (branch_code, bin, id DESC) WHERE mode = 'bin';
ALTER TABLE return_runs
    ADD COLUMN counted_at timestamptz, -- what returns count as, where it is an instant
    ADD COLUMN let_off    int NOT NULL DEFAULT 0 CHECK (let_off BETWEEN 0 AND 60), -- days, of each return
    ADD COLUMN excused    text NOT NULL DEFAULT '', -- why nothing is charged: the library itself was at fault
    ADD CONSTRAINT return_runs_counted CHECK (counted_as IS NULL OR counted_at IS NULL);
ALTER TABLE return_piles ADD COLUMN ticked int NOT NULL DEFAULT 0 CHECK (ticked >= 0); -- how many lay there when it was ticked off
ALTER TABLE return_lines
    ADD COLUMN excused  text NOT NULL DEFAULT '', -- why its lateness was not charged
    ADD COLUMN staff_id bigint REFERENCES staff,  -- who scanned it
    DROP CONSTRAINT return_lines_note_answer_check,
    ADD CONSTRAINT return_lines_note_answer_check CHECK (note_answer IN ('', 'open', 'stays', 'off', 'repair', 'withdrawn', 'rebuy', 'missing'));
UPDATE return_lines l SET staff_id = r.staff_id FROM return_runs r WHERE r.id = l.run_id;

-- What somebody gets at the end of a session at the desk; null: as the network has settled.
ALTER TABLE patrons ADD COLUMN receipt text CHECK (receipt IN ('none', 'slip', 'mail', 'both'));

-- +goose Down
ALTER TABLE patrons DROP COLUMN receipt;
UPDATE return_lines SET note_answer = 'repair' WHERE note_answer IN ('rebuy', 'missing');
ALTER TABLE return_lines DROP COLUMN excused, DROP COLUMN staff_id,
    DROP CONSTRAINT return_lines_note_answer_check,
    ADD CONSTRAINT return_lines_note_answer_check CHECK (note_answer IN ('', 'open', 'stays', 'off', 'repair', 'withdrawn'));
ALTER TABLE return_piles DROP COLUMN ticked;
ALTER TABLE return_runs DROP CONSTRAINT return_runs_counted, DROP COLUMN counted_at, DROP COLUMN let_off, DROP COLUMN excused;
DROP INDEX return_runs_one_bin, return_runs_one_desk, return_runs_bin;
UPDATE return_runs r SET finished_at = greatest(now(), r.opened_at) WHERE finished_at IS NULL
    AND EXISTS (SELECT 1 FROM return_runs o WHERE o.branch_code = r.branch_code AND o.mode = r.mode AND o.staff_id = r.staff_id
        AND o.finished_at IS NULL AND o.id > r.id);
CREATE UNIQUE INDEX return_runs_one_open ON return_runs (branch_code, staff_id, mode) WHERE finished_at IS NULL;
ALTER TABLE branches DROP COLUMN bins;
