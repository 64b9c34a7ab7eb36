-- +goose Up
-- Runs of returns and their lines, so that a run is still there on coming back.
CREATE TABLE return_runs (
    id          bigint PRIMARY KEY DEFAULT nextval('ids'),
    branch_code text NOT NULL REFERENCES branches,
    mode        text NOT NULL CHECK (mode IN ('bin', 'patron')),
    bin         text NOT NULL DEFAULT '', -- which of the branch's bins
    day         date NOT NULL,            -- the branch's date when it was opened
    counted_as  date,
    staff_id    bigint NOT NULL REFERENCES staff,
    opened_at   timestamptz NOT NULL,
    finished_at timestamptz
);
CREATE UNIQUE INDEX return_runs_one_open ON return_runs (branch_code, staff_id, mode) WHERE finished_at IS NULL;
CREATE INDEX return_runs_day ON return_runs (branch_code, day, bin) WHERE mode = 'bin';

-- How much lies on each pile of a run: kept, because a run is counted with every scan.
CREATE TABLE return_piles (
    run_id bigint NOT NULL REFERENCES return_runs ON DELETE CASCADE,
    kind   text NOT NULL CHECK (kind IN ('shelf', 'hold_shelf', 'tote', 'outside', 'aside')),
    place  text NOT NULL DEFAULT '', -- branch code of a tote, name of a library outside
    count  int NOT NULL CHECK (count >= 0),
    PRIMARY KEY (run_id, kind, place)
);

-- The ledger. Charges are positive; what settles them is negative and names the charge. A refund gives money back for
-- a charge, which is then corrected.
CREATE TABLE ledger (
    id        bigint PRIMARY KEY DEFAULT nextval('ids'),
    patron_id bigint NOT NULL REFERENCES patrons,
    kind      text NOT NULL CHECK (kind IN ('charge', 'payment', 'waiver', 'correction', 'refund')),
    amount    bigint NOT NULL CHECK (amount <> 0),
    settles   bigint REFERENCES ledger,
    loan_id   bigint REFERENCES loans,
    means     text NOT NULL DEFAULT '' CHECK (means IN ('', 'cash', 'card', 'cheque')),
    about     text NOT NULL CHECK (about IN ('late', 'lost', 'processing', 'membership', 'uncollected', 'outside')),
    reason    text NOT NULL DEFAULT '', -- of a waiver, as somebody wrote it
    line_id   bigint, -- the line of a returns run that caused it
    why       jsonb,
    at        timestamptz NOT NULL,
    staff_id  bigint REFERENCES staff,
    branch_code text REFERENCES branches,
    CHECK (CASE kind WHEN 'charge' THEN amount > 0 AND settles IS NULL WHEN 'refund' THEN amount > 0 AND settles IS NOT NULL ELSE amount < 0 AND settles IS NOT NULL END)
);
CREATE INDEX ledger_patron ON ledger (patron_id, id);
CREATE INDEX ledger_settles ON ledger (settles);
CREATE INDEX ledger_loan ON ledger (loan_id);
CREATE INDEX ledger_line ON ledger (line_id) WHERE line_id IS NOT NULL;
-- +goose StatementBegin
CREATE FUNCTION ledger_added() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE owed bigint;
BEGIN
    UPDATE patrons SET balance = balance + NEW.amount WHERE id = NEW.patron_id;
    IF NEW.settles IS NOT NULL THEN
        PERFORM 1 FROM ledger WHERE id = NEW.settles AND patron_id = NEW.patron_id AND kind = 'charge';
        IF NOT FOUND THEN RAISE EXCEPTION 'entry % settles no charge of this patron', NEW.id; END IF;
        SELECT sum(amount) INTO owed FROM ledger WHERE id = NEW.settles OR settles = NEW.settles;
        IF owed < 0 THEN RAISE EXCEPTION 'charge % would be settled by more than it is, which the balance forbids', NEW.settles USING ERRCODE = 'check_violation', CONSTRAINT = 'ledger_owed'; END IF;
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

CREATE TABLE return_lines (
    id        bigint PRIMARY KEY DEFAULT nextval('ids'),
    run_id    bigint NOT NULL REFERENCES return_runs,
    at        timestamptz NOT NULL,
    text      text NOT NULL,
    item_id   bigint REFERENCES items,
    loan_id   bigint REFERENCES loans,
    patron_id bigint REFERENCES patrons,
    found     text NOT NULL CHECK (found IN ('wrong_number', 'card', 'words', 'unknown', 'withdrawn', 'on_loan', 'late', 'lost', 'under_way', 'scanned_before', 'not_on_loan')),
    sign      jsonb NOT NULL,
    why       jsonb,
    fine      bigint NOT NULL DEFAULT 0 CHECK (fine >= 0),
    charge_id bigint REFERENCES ledger,
    answer    text NOT NULL DEFAULT '' CHECK (answer IN ('', 'open', 'paid', 'account', 'waived')),
    note        text NOT NULL DEFAULT '', -- met on the item: it stays, it comes off, or the item goes elsewhere
    note_answer text NOT NULL DEFAULT '' CHECK (note_answer IN ('', 'open', 'stays', 'off', 'repair', 'withdrawn')),
    then_sign   jsonb, -- where the item goes once the note is answered
    did       jsonb, -- what it set going, so that just that is undone
    undone    boolean NOT NULL DEFAULT false,
    CHECK ((note = '') = (note_answer = '')),
    CHECK ((note = '') = (then_sign IS NULL))
);
CREATE INDEX return_lines_run ON return_lines (run_id, id DESC);
CREATE INDEX return_lines_item ON return_lines (run_id, item_id) WHERE NOT undone;
CREATE INDEX return_lines_open ON return_lines (patron_id) WHERE answer = 'open';
CREATE INDEX return_lines_asks ON return_lines (run_id, patron_id) WHERE answer = 'open' OR note_answer = 'open';

-- What happened. Nothing in it names a person but its links; a month is a partition.
CREATE TABLE events (
    id          bigint NOT NULL DEFAULT nextval('ids'),
    at          timestamptz NOT NULL,
    kind        text NOT NULL,
    staff_id    bigint,
    branch_code text,
    patron_id   bigint,
    item_id     bigint,
    loan_id     bigint,
    hold_id     bigint,
    request_id  bigint,
    message_id  bigint,
    detail      jsonb, -- dates, sums, branches and codes; the sentence is made when it is shown
    why         jsonb,
    PRIMARY KEY (id, at)
) PARTITION BY RANGE (at);
CREATE TABLE events_other PARTITION OF events DEFAULT;
-- +goose StatementBegin
-- Makes the months' partitions from one date to another that are not there yet.
CREATE FUNCTION events_ahead(since date, until date) RETURNS int LANGUAGE plpgsql AS $$
DECLARE
    month date := date_trunc('month', since);
    made int := 0;
BEGIN
    WHILE month <= until LOOP
        IF to_regclass('events_' || to_char(month, 'YYYY_MM')) IS NULL
            AND NOT EXISTS (SELECT 1 FROM events_other WHERE at >= month AND at < month + interval '1 month') THEN
            EXECUTE format('CREATE TABLE events_%s PARTITION OF events FOR VALUES FROM (%L) TO (%L)', to_char(month, 'YYYY_MM'), month, month + interval '1 month');
            made := made + 1;
        END IF;
        month := month + interval '1 month';
    END LOOP;
    RETURN made;
END $$;
-- An event stays as it is. Only its link to the person can be cut.
CREATE FUNCTION events_stay() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF TG_OP = 'UPDATE' AND NEW.patron_id IS NULL AND to_jsonb(NEW) - 'patron_id' = to_jsonb(OLD) - 'patron_id' THEN
        RETURN NEW;
    END IF;
    RAISE EXCEPTION 'entries of events are never changed or deleted';
END $$;
-- +goose StatementEnd
SELECT events_ahead('2025-09-01', '2027-03-01');
CREATE INDEX events_patron ON events (patron_id, at DESC, id DESC) WHERE patron_id IS NOT NULL;
CREATE INDEX events_item ON events (item_id, at DESC, id DESC) WHERE item_id IS NOT NULL;
CREATE INDEX events_loan ON events (loan_id) WHERE loan_id IS NOT NULL AND kind IN ('lent', 'renewed');
CREATE TRIGGER events_stay BEFORE UPDATE OR DELETE ON events FOR EACH ROW EXECUTE FUNCTION events_stay();

-- The work of the nights: each step of a day once, over all copies.
CREATE TABLE nights (
    day     date NOT NULL,
    step    text NOT NULL,
    done    bigint NOT NULL DEFAULT 0, -- how far it has come: the last id, or how many it has dealt with
    ended_at timestamptz,
    PRIMARY KEY (day, step)
);
CREATE TABLE mailings (
    id      bigint PRIMARY KEY DEFAULT nextval('ids'),
    stage   text NOT NULL,
    day     date NOT NULL,
    state   text NOT NULL CHECK (state IN ('trial', 'sent', 'dropped')),
    sent_at timestamptz,
    UNIQUE (stage, day)
);
CREATE INDEX mailings_day ON mailings (day DESC, id DESC);
CREATE TABLE messages (
    id         bigint PRIMARY KEY DEFAULT nextval('ids'),
    mailing_id bigint REFERENCES mailings,
    stage      text NOT NULL,
    patron_id  bigint NOT NULL REFERENCES patrons,
    address    text NOT NULL,
    subject    text NOT NULL,
    body       text NOT NULL,
    items      int NOT NULL DEFAULT 1, -- of how many things it tells
    state      text NOT NULL CHECK (state IN ('trial', 'left_out', 'queued', 'sending', 'sent', 'unclear', 'no_address')),
    tries      int NOT NULL DEFAULT 0,
    problem    text NOT NULL DEFAULT '',
    at         timestamptz NOT NULL,
    begun_at   timestamptz, -- real time at which the attempt under way began
    sent_at    timestamptz,
    UNIQUE (mailing_id, patron_id),
    CHECK ((state = 'sending') <= (begun_at IS NOT NULL))
);
CREATE INDEX messages_stuck ON messages (at, id) WHERE state IN ('queued', 'sending', 'unclear');
CREATE INDEX messages_no_address ON messages (at) WHERE state = 'no_address' AND mailing_id IS NULL;
-- One message of a stage for a loan as it is due, or for a hold as it became ready, ever.
CREATE TABLE told (
    stage      text NOT NULL,
    loan_id    bigint REFERENCES loans,
    hold_id    bigint REFERENCES holds,
    due_date   date,
    due_at     timestamptz,
    message_id bigint NOT NULL REFERENCES messages ON DELETE CASCADE,
    CHECK ((loan_id IS NULL) <> (hold_id IS NULL)),
    CHECK ((due_date IS NULL) <> (due_at IS NULL)),
    UNIQUE NULLS NOT DISTINCT (loan_id, hold_id, stage, due_date, due_at)
);
CREATE INDEX told_message ON told (message_id);

-- +goose Down
DROP TABLE told, messages, mailings, nights, events, return_lines, ledger, return_piles, return_runs;
DROP FUNCTION ledger_added, never_changed, events_ahead, events_stay;
