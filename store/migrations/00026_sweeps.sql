-- +goose Up
-- A sweep is one change of many records. Those of calendars were the first; the others say what was asked for in their change.
ALTER TABLE sweeps
    ADD COLUMN kind    text NOT NULL DEFAULT 'calendar' CHECK (kind IN ('calendar', 'due', 'renewals', 'charges', 'cards', 'classes', 'pickups')),
    ADD COLUMN change  jsonb,
    ADD COLUMN actor   jsonb, -- who does it, with their rights and the branch where they were
    ADD COLUMN stopped boolean NOT NULL DEFAULT false, -- by somebody; it can be continued
    ALTER COLUMN branches DROP NOT NULL,
    ALTER COLUMN changed DROP NOT NULL,
    ADD CONSTRAINT sweeps_of_calendars CHECK ((kind = 'calendar') = (branches IS NOT NULL) AND (kind = 'calendar') = (changed IS NOT NULL)),
    ADD CONSTRAINT sweeps_of_others CHECK ((kind = 'calendar') = (change IS NULL) AND (kind = 'calendar') = (actor IS NULL)),
    ADD CONSTRAINT sweeps_stopped CHECK (parts OR NOT stopped);
CREATE INDEX sweeps_kind ON sweeps ((kind = 'calendar'), id);

-- Each line is done, or stays as it was for a reason; undone, or stays as it is for a reason.
ALTER TABLE sweep_lines
    ADD COLUMN id          bigint NOT NULL DEFAULT nextval('ids') PRIMARY KEY,
    ADD COLUMN patron_id   bigint REFERENCES patrons,
    ADD COLUMN entry_id    bigint REFERENCES ledger,
    ADD COLUMN text_before text NOT NULL DEFAULT '',
    ADD COLUMN text_after  text NOT NULL DEFAULT '',
    ADD COLUMN made        bigint REFERENCES ledger, -- the waiver or charge that came of it
    ADD COLUMN edition_id  bigint REFERENCES editions, -- of a loan before it was renewed
    ADD COLUMN renewed_at  timestamptz, -- of a loan before it was renewed
    ADD COLUMN state       text NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting', 'done', 'kept', 'undone', 'stays')),
    ADD COLUMN reason      text NOT NULL DEFAULT '',
    DROP CONSTRAINT sweep_lines_check,
    DROP CONSTRAINT sweep_lines_check1,
    DROP CONSTRAINT sweep_lines_check2,
    DROP CONSTRAINT sweep_lines_check3,
    ADD CONSTRAINT sweep_lines_of_one CHECK (num_nonnulls(loan_id, hold_id, patron_id, entry_id) = 1),
    ADD CONSTRAINT sweep_lines_before CHECK (day_before IS NULL OR at_before IS NULL),
    ADD CONSTRAINT sweep_lines_after CHECK (day_after IS NULL OR at_after IS NULL);
UPDATE sweep_lines l SET state = CASE WHEN l.followed THEN 'done' WHEN s.undone_at IS NOT NULL THEN 'undone' ELSE 'waiting' END
    FROM sweeps s WHERE s.id = l.sweep_id;
DROP INDEX sweep_lines_sweep, sweep_lines_loans, sweep_lines_holds;
ALTER TABLE sweep_lines DROP COLUMN followed;
CREATE INDEX sweep_lines_sweep ON sweep_lines (sweep_id, state, id);
CREATE UNIQUE INDEX sweep_lines_once ON sweep_lines (sweep_id, (coalesce(loan_id, hold_id, patron_id, entry_id)));
CREATE INDEX sweep_lines_patron ON sweep_lines (patron_id) WHERE patron_id IS NOT NULL;
CREATE INDEX patrons_card_until ON patrons (card_until, id) WHERE card_until IS NOT NULL AND forgotten_at IS NULL;

-- +goose Down
-- Older forms know sweeps of calendars only: where there are others, this ends with that and changes nothing.
-- +goose StatementBegin
DO $$ BEGIN
    IF EXISTS (SELECT 1 FROM sweeps WHERE kind <> 'calendar') THEN RAISE EXCEPTION 'changes of many records have been made'; END IF;
END $$;
-- +goose StatementEnd
DROP INDEX patrons_card_until, sweep_lines_patron, sweep_lines_once, sweep_lines_sweep, sweeps_kind;
ALTER TABLE sweep_lines ADD COLUMN followed boolean NOT NULL DEFAULT false;
UPDATE sweep_lines SET followed = state IN ('done', 'kept');
ALTER TABLE sweep_lines
    DROP CONSTRAINT sweep_lines_of_one, DROP CONSTRAINT sweep_lines_before, DROP CONSTRAINT sweep_lines_after,
    DROP COLUMN id, DROP COLUMN patron_id, DROP COLUMN entry_id, DROP COLUMN text_before, DROP COLUMN text_after, DROP COLUMN made,
    DROP COLUMN edition_id, DROP COLUMN renewed_at, DROP COLUMN state, DROP COLUMN reason,
    ADD CHECK ((loan_id IS NULL) <> (hold_id IS NULL)),
    ADD CHECK ((day_before IS NULL) <> (at_before IS NULL)),
    ADD CHECK ((day_before IS NULL) = (day_after IS NULL)),
    ADD CHECK ((at_before IS NULL) = (at_after IS NULL));
CREATE INDEX sweep_lines_sweep ON sweep_lines (sweep_id);
CREATE INDEX sweep_lines_loans ON sweep_lines (sweep_id, loan_id) WHERE loan_id IS NOT NULL;
CREATE INDEX sweep_lines_holds ON sweep_lines (sweep_id, hold_id) WHERE hold_id IS NOT NULL;
ALTER TABLE sweeps DROP CONSTRAINT sweeps_of_calendars, DROP CONSTRAINT sweeps_of_others, DROP CONSTRAINT sweeps_stopped,
    DROP COLUMN kind, DROP COLUMN change, DROP COLUMN actor, DROP COLUMN stopped,
    ALTER COLUMN branches SET NOT NULL, ALTER COLUMN changed SET NOT NULL;
