-- +goose Up
ALTER TABLE intakes ADD COLUMN IF NOT EXISTS asked_by bigint REFERENCES staff (id);

-- A drawer of money, from its opening to its counting.
CREATE TABLE tills (
    id             bigint PRIMARY KEY DEFAULT nextval('ids'),
    branch_code    text NOT NULL REFERENCES branches,
    name           text NOT NULL CHECK (name <> ''),
    opened_at      timestamptz NOT NULL,
    opened_by      bigint NOT NULL REFERENCES staff,
    laid_in        bigint NOT NULL CHECK (laid_in >= 0), -- cash that lay in it when it was opened
    closed_at      timestamptz,
    closed_by      bigint REFERENCES staff,
    due_cash       bigint, -- what should have lain in it, by means, and what was counted
    due_card       bigint,
    due_cheque     bigint,
    counted_cash   bigint CHECK (counted_cash >= 0),
    counted_card   bigint,
    counted_cheque bigint,
    says           text NOT NULL DEFAULT '', -- of a difference
    CHECK (num_nulls(closed_at, closed_by, due_cash, due_card, due_cheque, counted_cash, counted_card, counted_cheque) IN (0, 8)),
    CHECK (closed_at >= opened_at),
    CONSTRAINT tills_difference_said CHECK (closed_at IS NULL OR says <> ''
        OR (due_cash = counted_cash AND due_card = counted_card AND due_cheque = counted_cheque))
);
CREATE UNIQUE INDEX tills_one_open ON tills (branch_code, lower(name)) WHERE closed_at IS NULL;
CREATE INDEX tills_branch ON tills (branch_code, id DESC);

-- Money that went over the counter in one go, for one person or several. Less than nothing: it was given out.
CREATE TABLE receipts (
    id          bigint PRIMARY KEY DEFAULT nextval('ids'),
    at          timestamptz NOT NULL,
    branch_code text NOT NULL REFERENCES branches,
    staff_id    bigint REFERENCES staff,
    till_id     bigint REFERENCES tills,
    means       text NOT NULL CHECK (means IN ('cash', 'card', 'cheque', 'transfer')),
    amount      bigint NOT NULL CHECK (amount <> 0),
    rounding    bigint NOT NULL DEFAULT 0, -- by how much cash came to more than what it settles
    laid_down   bigint,                    -- the cash from which change was given
    reference   text NOT NULL DEFAULT '',  -- number of a cheque, of a card's payment, of a transfer
    reverses    bigint UNIQUE REFERENCES receipts,
    reason      text NOT NULL DEFAULT '',
    CHECK (rounding = 0 OR means = 'cash'),
    CHECK (laid_down IS NULL OR (means = 'cash' AND amount > 0 AND laid_down >= amount)),
    CHECK (reverses IS NULL OR (amount < 0 AND reason <> '')),
    CHECK (till_id IS NULL OR means <> 'transfer')
);
CREATE INDEX receipts_till ON receipts (till_id, id) WHERE till_id IS NOT NULL;
CREATE INDEX receipts_branch ON receipts (branch_code, at DESC, id DESC);
CREATE INDEX receipts_at ON receipts (at);
CREATE TRIGGER receipts_stay BEFORE UPDATE OR DELETE ON receipts FOR EACH ROW EXECUTE FUNCTION never_changed();

-- Cash that was laid into a drawer or taken out of it, for no patron.
CREATE TABLE till_moves (
    id       bigint PRIMARY KEY DEFAULT nextval('ids'),
    till_id  bigint NOT NULL REFERENCES tills,
    at       timestamptz NOT NULL,
    staff_id bigint NOT NULL REFERENCES staff,
    amount   bigint NOT NULL CHECK (amount <> 0),
    reason   text NOT NULL CHECK (reason <> '')
);
CREATE INDEX till_moves_till ON till_moves (till_id, id);
CREATE TRIGGER till_moves_stay BEFORE UPDATE OR DELETE ON till_moves FOR EACH ROW EXECUTE FUNCTION never_changed();

-- A drawer that was counted takes no more, and stays as it was counted.
-- +goose StatementBegin
CREATE FUNCTION till_is_open() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF NEW.till_id IS NOT NULL THEN
        PERFORM 1 FROM tills WHERE id = NEW.till_id AND closed_at IS NULL FOR SHARE;
        IF NOT FOUND THEN
            RAISE check_violation USING MESSAGE = 'till ' || NEW.till_id || ' has been closed', CONSTRAINT = 'till_is_open';
        END IF;
    END IF;
    RETURN NEW;
END $$;
CREATE FUNCTION till_stays() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF TG_OP = 'UPDATE' AND OLD.closed_at IS NULL THEN
        RETURN NEW;
    END IF;
    RAISE EXCEPTION 'a till that has been closed is never changed or deleted';
END $$;
-- +goose StatementEnd
CREATE TRIGGER receipts_into_open BEFORE INSERT ON receipts FOR EACH ROW EXECUTE FUNCTION till_is_open();
CREATE TRIGGER till_moves_into_open BEFORE INSERT ON till_moves FOR EACH ROW EXECUTE FUNCTION till_is_open();
CREATE TRIGGER tills_stay BEFORE UPDATE OR DELETE ON tills FOR EACH ROW EXECUTE FUNCTION till_stays();

-- Payments know the receipt they were part of; what was paid before there were receipts gets one each.
ALTER TABLE ledger ADD COLUMN receipt_id bigint REFERENCES receipts,
    DROP CONSTRAINT ledger_kind_check,
    DROP CONSTRAINT ledger_check;
CREATE TEMPORARY TABLE paid_before ON COMMIT DROP AS
    SELECT nextval('ids') AS receipt, at, coalesce(l.branch_code, p.branch_code) AS branch_code, staff_id, means, patron_id,
        array_agg(l.id) AS entries, -sum(amount)::bigint AS amount
    FROM ledger l JOIN patrons p ON p.id = l.patron_id WHERE kind = 'payment' AND means <> ''
    GROUP BY at, 3, staff_id, means, patron_id;
INSERT INTO receipts (id, at, branch_code, staff_id, means, amount)
    SELECT receipt, at, branch_code, staff_id, means, amount FROM paid_before;
ALTER TABLE ledger DISABLE TRIGGER USER;
UPDATE ledger l SET receipt_id = b.receipt FROM paid_before b WHERE l.id = ANY(b.entries);
ALTER TABLE ledger ENABLE TRIGGER USER;
ALTER TABLE ledger DROP COLUMN means,
    ADD CONSTRAINT ledger_kind_check CHECK (kind IN ('charge', 'payment', 'waiver', 'correction', 'refund', 'reversal')),
    ADD CONSTRAINT ledger_check CHECK (CASE kind
        WHEN 'charge' THEN amount > 0 AND settles IS NULL
        WHEN 'refund' THEN amount > 0 AND settles IS NOT NULL
        WHEN 'reversal' THEN amount > 0 AND settles IS NOT NULL AND receipt_id IS NOT NULL
        ELSE amount < 0 AND settles IS NOT NULL END),
    ADD CONSTRAINT ledger_receipt_check CHECK (receipt_id IS NULL OR kind IN ('payment', 'reversal'));
CREATE INDEX ledger_receipt ON ledger (receipt_id) WHERE receipt_id IS NOT NULL;
CREATE INDEX ledger_refunds ON ledger (id) WHERE kind = 'refund';
CREATE INDEX ledger_at ON ledger USING brin (at) WITH (pages_per_range = 32);

-- What became of money that was to be given back: it was paid out, or it counts as paid again.
CREATE TABLE refund_ends (
    refund_id  bigint PRIMARY KEY REFERENCES ledger,
    receipt_id bigint REFERENCES receipts,
    kept_as    bigint UNIQUE REFERENCES ledger,
    CHECK ((receipt_id IS NULL) <> (kept_as IS NULL))
);
CREATE INDEX refund_ends_receipt ON refund_ends (receipt_id) WHERE receipt_id IS NOT NULL;
INSERT INTO refund_ends (refund_id, kept_as)
    SELECT r.id, min(k.id) FROM ledger r JOIN ledger k ON k.kind = 'payment' AND k.receipt_id IS NULL AND k.loan_id = r.loan_id
        AND k.amount = -r.amount AND k.id > r.id
    WHERE r.kind = 'refund' GROUP BY r.id ON CONFLICT DO NOTHING;
CREATE TRIGGER refund_ends_stay BEFORE UPDATE OR DELETE ON refund_ends FOR EACH ROW EXECUTE FUNCTION never_changed();

-- A receipt is what its parts come to, when all of it has been written.
-- +goose StatementBegin
CREATE FUNCTION receipt_adds_up() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE
    which bigint := CASE TG_TABLE_NAME WHEN 'receipts' THEN (to_jsonb(NEW) ->> 'id')::bigint
        ELSE (to_jsonb(NEW) ->> 'receipt_id')::bigint END;
    parts bigint;
BEGIN
    IF which IS NULL THEN RETURN NULL; END IF;
    SELECT coalesce((SELECT sum(amount) FROM ledger WHERE receipt_id = which), 0)
        + coalesce((SELECT sum(r.amount) FROM refund_ends e JOIN ledger r ON r.id = e.refund_id WHERE e.receipt_id = which), 0) INTO parts;
    IF NOT EXISTS (SELECT 1 FROM receipts WHERE id = which AND parts = rounding - amount) THEN
        RAISE check_violation USING MESSAGE = 'receipt ' || which || ' is not what its parts come to', CONSTRAINT = 'receipt_adds_up';
    END IF;
    RETURN NULL;
END $$;
-- +goose StatementEnd
CREATE CONSTRAINT TRIGGER receipt_adds_up AFTER INSERT ON receipts DEFERRABLE INITIALLY DEFERRED
    FOR EACH ROW EXECUTE FUNCTION receipt_adds_up();
CREATE CONSTRAINT TRIGGER receipt_adds_up AFTER INSERT ON ledger DEFERRABLE INITIALLY DEFERRED
    FOR EACH ROW WHEN (NEW.receipt_id IS NOT NULL) EXECUTE FUNCTION receipt_adds_up();
CREATE CONSTRAINT TRIGGER receipt_adds_up AFTER INSERT ON refund_ends DEFERRABLE INITIALLY DEFERRED
    FOR EACH ROW WHEN (NEW.receipt_id IS NOT NULL) EXECUTE FUNCTION receipt_adds_up();

-- A charge in dispute waits and stops nobody.
CREATE TABLE disputes (
    id        bigint PRIMARY KEY DEFAULT nextval('ids'),
    charge_id bigint NOT NULL REFERENCES ledger,
    says      text NOT NULL CHECK (says <> ''),
    at        timestamptz NOT NULL,
    staff_id  bigint REFERENCES staff,
    ended_at  timestamptz,
    ended_by  bigint REFERENCES staff,
    answer    text NOT NULL DEFAULT '', -- what was found
    CHECK ((ended_at IS NULL) = (answer = ''))
);
CREATE UNIQUE INDEX disputes_once ON disputes (charge_id) WHERE ended_at IS NULL;

-- Invoices to institutions, numbered without a gap.
CREATE TABLE series (
    name text NOT NULL,
    year int NOT NULL,
    last int NOT NULL CHECK (last > 0),
    PRIMARY KEY (name, year)
);
CREATE TABLE invoices (
    id           bigint PRIMARY KEY DEFAULT nextval('ids'),
    number       text NOT NULL UNIQUE,
    patron_id    bigint NOT NULL REFERENCES patrons,
    branch_code  text NOT NULL REFERENCES branches,
    made_at      timestamptz NOT NULL,
    made_by      bigint NOT NULL REFERENCES staff,
    day          date NOT NULL,
    due          date NOT NULL CHECK (due >= day),
    addressed    text NOT NULL, -- name and address as they stood then
    note         text NOT NULL DEFAULT '',
    withdrawn_at timestamptz,
    withdrawn_by bigint REFERENCES staff,
    reason       text NOT NULL DEFAULT '', -- why it was withdrawn
    CHECK ((withdrawn_at IS NULL) = (reason = ''))
);
CREATE INDEX invoices_patron ON invoices (patron_id);
CREATE INDEX invoices_newest ON invoices (id DESC);
CREATE TABLE invoice_lines (
    invoice_id bigint NOT NULL REFERENCES invoices,
    charge_id  bigint NOT NULL REFERENCES ledger,
    text       text NOT NULL,
    amount     bigint NOT NULL CHECK (amount > 0), -- what was owed of it then
    withdrawn  boolean NOT NULL DEFAULT false,
    PRIMARY KEY (invoice_id, charge_id)
);
CREATE UNIQUE INDEX invoice_lines_once ON invoice_lines (charge_id) WHERE NOT withdrawn;

-- +goose Down
-- Older forms know no reversals and no money that was given out: once there is any, this ends with that and changes nothing.
-- +goose StatementBegin
DO $$ BEGIN
    IF EXISTS (SELECT 1 FROM ledger WHERE kind = 'reversal') OR EXISTS (SELECT 1 FROM refund_ends WHERE receipt_id IS NOT NULL)
        OR EXISTS (SELECT 1 FROM receipts WHERE means = 'transfer') THEN
        RAISE EXCEPTION 'payments have been reversed, paid out or transferred';
    END IF;
END $$;
-- +goose StatementEnd
DROP TABLE invoice_lines, invoices, series, disputes, refund_ends;
DROP TRIGGER receipt_adds_up ON ledger;
DROP INDEX ledger_refunds, ledger_at;
ALTER TABLE ledger ADD COLUMN means text NOT NULL DEFAULT '' CHECK (means IN ('', 'cash', 'card', 'cheque')),
    DROP CONSTRAINT ledger_kind_check, DROP CONSTRAINT ledger_check, DROP CONSTRAINT ledger_receipt_check;
ALTER TABLE ledger DISABLE TRIGGER USER;
UPDATE ledger l SET means = r.means FROM receipts r WHERE r.id = l.receipt_id;
ALTER TABLE ledger ENABLE TRIGGER USER;
ALTER TABLE ledger DROP COLUMN receipt_id,
    ADD CONSTRAINT ledger_kind_check CHECK (kind IN ('charge', 'payment', 'waiver', 'correction', 'refund')),
    ADD CONSTRAINT ledger_check CHECK (CASE kind WHEN 'charge' THEN amount > 0 AND settles IS NULL WHEN 'refund' THEN amount > 0 AND settles IS NOT NULL ELSE amount < 0 AND settles IS NOT NULL END);
DROP TABLE till_moves, receipts, tills;
DROP FUNCTION receipt_adds_up, till_is_open, till_stays;
