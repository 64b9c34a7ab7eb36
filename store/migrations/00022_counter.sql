-- +goose Up
-- Whether others waited for the title when it was lent: rules may have made the loan shorter for it, and a rehearsal has to know. Of loans
-- made before, it is taken from the holds that are still known.
ALTER TABLE loans ADD COLUMN awaited boolean NOT NULL DEFAULT false;
UPDATE loans l SET awaited = true FROM items i WHERE i.id = l.item_id AND EXISTS (
    SELECT 1 FROM holds h WHERE h.title_id = i.title_id AND h.patron_id IS DISTINCT FROM l.patron_id
        AND h.placed_at < l.lent_at AND coalesce(h.ready_at, h.closed_at, 'infinity') > l.lent_at);

-- What a draft is compared with; none: for each loan the edition that it was made under.
ALTER TABLE rehearsals ADD COLUMN against_id bigint REFERENCES editions;

-- An edition that has not begun may be withdrawn. It stays as it is, to be seen and to begin a draft from.
ALTER TABLE editions DROP CONSTRAINT editions_state_check, DROP CONSTRAINT editions_check,
    ADD CONSTRAINT editions_state_check CHECK (state IN ('draft', 'in_force', 'withdrawn')),
    ADD CONSTRAINT editions_check CHECK ((state <> 'draft') = (starts_on IS NOT NULL AND started_at IS NOT NULL));
-- +goose StatementBegin
CREATE OR REPLACE FUNCTION editions_stay() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF TG_OP = 'UPDATE' AND OLD.state = 'in_force' AND NEW.state = 'withdrawn'
        AND (NEW.rules, NEW.examples, NEW.ranking, NEW.starts_on, NEW.number) = (OLD.rules, OLD.examples, OLD.ranking, OLD.starts_on, OLD.number)
        AND OLD.starts_on > (SELECT coalesce((SELECT (shows + (clock_timestamp() - real_at)) FROM training_clock), clock_timestamp())
            AT TIME ZONE timezone FROM network)::date THEN
        RETURN NEW;
    END IF;
    IF OLD.state <> 'draft' THEN
        RAISE EXCEPTION 'edition % is in force and is never changed', OLD.number;
    END IF;
    IF TG_OP = 'DELETE' THEN RETURN OLD; END IF;
    RETURN NEW;
END $$;
-- +goose StatementEnd

-- A change of calendars moves due dates in parts where they are many, so that lending goes on meanwhile.
ALTER TABLE sweeps ADD COLUMN left_out jsonb NOT NULL DEFAULT '[]',
    ADD COLUMN parts boolean NOT NULL DEFAULT false; -- due dates are still being moved, or moved back
ALTER TABLE sweep_lines ADD COLUMN followed boolean NOT NULL DEFAULT true;
ALTER TABLE sweep_lines ALTER COLUMN followed SET DEFAULT false;
CREATE INDEX sweep_lines_loans ON sweep_lines (sweep_id, loan_id) WHERE loan_id IS NOT NULL;
CREATE INDEX sweep_lines_holds ON sweep_lines (sweep_id, hold_id) WHERE hold_id IS NOT NULL;
CREATE INDEX sweeps_in_parts ON sweeps (id) WHERE parts;

-- Something that was missing is found on a shelf where it does not belong.
ALTER TABLE inventory_lines DROP CONSTRAINT inventory_lines_found_check,
    ADD CONSTRAINT inventory_lines_found_check CHECK (found IN ('in_place', 'out_of_order', 'on_loan', 'elsewhere', 'other_collection', 'held',
        'under_way', 'was_missing', 'found_elsewhere', 'out_of_use', 'withdrawn', 'unknown', 'again'));

-- A waiver is undone, once, by an entry that names it: what was waived is owed again.
ALTER TABLE ledger ADD COLUMN undoes bigint REFERENCES ledger,
    DROP CONSTRAINT ledger_kind_check, DROP CONSTRAINT ledger_check,
    ADD CONSTRAINT ledger_kind_check CHECK (kind IN ('charge', 'payment', 'waiver', 'correction', 'refund', 'reversal', 'unwaiver')),
    ADD CONSTRAINT ledger_check CHECK (CASE kind
        WHEN 'charge' THEN amount > 0 AND settles IS NULL
        WHEN 'refund' THEN amount > 0 AND settles IS NOT NULL
        WHEN 'reversal' THEN amount > 0 AND settles IS NOT NULL AND receipt_id IS NOT NULL
        WHEN 'unwaiver' THEN amount > 0 AND settles IS NOT NULL
        ELSE amount < 0 AND settles IS NOT NULL END),
    ADD CONSTRAINT ledger_undoes_check CHECK ((undoes IS NOT NULL) = (kind = 'unwaiver'));
CREATE UNIQUE INDEX ledger_undone_once ON ledger (undoes) WHERE undoes IS NOT NULL;

-- How often a file was tried: the lines of each trial are its own.
ALTER TABLE intakes ADD COLUMN trials integer NOT NULL DEFAULT 0;

-- Taking back begins as the room of the station has it, and a branch says what the first emptying of its bins on a day counts as.
ALTER TABLE stations ADD COLUMN sort_room boolean NOT NULL DEFAULT false;
ALTER TABLE branches ADD COLUMN bins_now boolean NOT NULL DEFAULT false; -- what lies in them counts as when it is scanned, not as the last open day

-- What was taken while no till was open can be assigned to one that is, and taken out of it while it is open. What was taken into a till
-- stays in it, and nothing else of a receipt is ever changed.
-- +goose StatementBegin
CREATE FUNCTION receipts_move_till() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF TG_OP = 'UPDATE' AND to_jsonb(NEW) - 'till_id' = to_jsonb(OLD) - 'till_id' AND (OLD.till_id IS NULL) <> (NEW.till_id IS NULL)
        AND EXISTS (SELECT 1 FROM tills t WHERE t.id = coalesce(OLD.till_id, NEW.till_id) AND t.branch_code = NEW.branch_code) THEN
        PERFORM 1 FROM tills WHERE id = coalesce(OLD.till_id, NEW.till_id) AND closed_at IS NULL FOR SHARE;
        IF NOT FOUND THEN
            RAISE check_violation USING MESSAGE = 'till ' || coalesce(OLD.till_id, NEW.till_id) || ' has been closed', CONSTRAINT = 'till_is_open';
        END IF;
        IF OLD.at < (SELECT opened_at FROM tills WHERE id = coalesce(OLD.till_id, NEW.till_id)) THEN
            RETURN NEW;
        END IF;
    END IF;
    RAISE EXCEPTION 'rows of % are never changed or deleted', TG_TABLE_NAME;
END $$;
-- +goose StatementEnd
DROP TRIGGER receipts_stay ON receipts;
CREATE TRIGGER receipts_stay BEFORE UPDATE OR DELETE ON receipts FOR EACH ROW EXECUTE FUNCTION receipts_move_till();
CREATE INDEX receipts_no_till ON receipts (branch_code, at DESC, id DESC) WHERE till_id IS NULL AND means <> 'transfer';

-- +goose Down
-- +goose StatementBegin
DO $$ BEGIN
    IF EXISTS (SELECT 1 FROM ledger WHERE kind = 'unwaiver') THEN
        RAISE EXCEPTION 'waivers have been undone: the books before this migration do not know that';
    END IF;
END $$;
-- +goose StatementEnd
ALTER TABLE intakes DROP COLUMN trials;
ALTER TABLE stations DROP COLUMN sort_room;
ALTER TABLE branches DROP COLUMN bins_now;
DROP INDEX receipts_no_till;
DROP TRIGGER receipts_stay ON receipts;
CREATE TRIGGER receipts_stay BEFORE UPDATE OR DELETE ON receipts FOR EACH ROW EXECUTE FUNCTION never_changed();
DROP FUNCTION receipts_move_till;
DROP INDEX ledger_undone_once;
ALTER TABLE ledger DROP CONSTRAINT ledger_undoes_check, DROP CONSTRAINT ledger_kind_check, DROP CONSTRAINT ledger_check,
    DROP COLUMN undoes,
    ADD CONSTRAINT ledger_kind_check CHECK (kind IN ('charge', 'payment', 'waiver', 'correction', 'refund', 'reversal')),
    ADD CONSTRAINT ledger_check CHECK (CASE kind
        WHEN 'charge' THEN amount > 0 AND settles IS NULL
        WHEN 'refund' THEN amount > 0 AND settles IS NOT NULL
        WHEN 'reversal' THEN amount > 0 AND settles IS NOT NULL AND receipt_id IS NOT NULL
        ELSE amount < 0 AND settles IS NOT NULL END);
UPDATE inventory_lines SET found = 'was_missing' WHERE found = 'found_elsewhere';
ALTER TABLE inventory_lines DROP CONSTRAINT inventory_lines_found_check,
    ADD CONSTRAINT inventory_lines_found_check CHECK (found IN ('in_place', 'out_of_order', 'on_loan', 'elsewhere', 'other_collection', 'held',
        'under_way', 'was_missing', 'out_of_use', 'withdrawn', 'unknown', 'again'));
DROP INDEX sweeps_in_parts, sweep_lines_loans, sweep_lines_holds;
ALTER TABLE sweep_lines DROP COLUMN followed;
ALTER TABLE sweeps DROP COLUMN left_out, DROP COLUMN parts;
-- +goose StatementBegin
CREATE OR REPLACE FUNCTION editions_stay() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF OLD.state = 'in_force' THEN
        RAISE EXCEPTION 'edition % is in force and is never changed', OLD.number;
    END IF;
    IF TG_OP = 'DELETE' THEN RETURN OLD; END IF;
    RETURN NEW;
END $$;
-- +goose StatementEnd
UPDATE editions SET state = 'draft', starts_on = NULL, started_at = NULL WHERE state = 'withdrawn';
ALTER TABLE editions DROP CONSTRAINT editions_state_check, DROP CONSTRAINT editions_check,
    ADD CONSTRAINT editions_state_check CHECK (state IN ('draft', 'in_force')),
    ADD CONSTRAINT editions_check CHECK ((state = 'in_force') = (starts_on IS NOT NULL AND started_at IS NOT NULL));
ALTER TABLE rehearsals DROP COLUMN against_id;
ALTER TABLE loans DROP COLUMN awaited;
