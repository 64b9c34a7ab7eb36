-- +goose Up
ALTER TABLE patrons
    ADD COLUMN merged_into   bigint REFERENCES patrons CHECK (merged_into <> id), -- the record that is this person's since
    ADD COLUMN confirmed_on  date, -- when they last said that what is written of them is right
    ADD COLUMN identity_guardian boolean NOT NULL DEFAULT false, -- the identity that was seen is the guardian's
    ADD COLUMN ask_before    boolean, -- ask where they have had a title before; null: as the network has settled
    -- By what way somebody is told of what; what is not named goes by mail where there is an address.
    ADD COLUMN notices       jsonb NOT NULL DEFAULT '{}' CONSTRAINT patrons_notices_object CHECK (jsonb_typeof(notices) = 'object'),
    ADD CONSTRAINT patrons_reached_by_mail CHECK (email <> '' OR NOT notices @? '$.* ? (@ == "mail")'),
    ADD CONSTRAINT patrons_reached_by_phone CHECK (phone <> '' OR NOT notices @? '$.* ? (@ == "phone")'),
    ADD CONSTRAINT patrons_reached_by_letter CHECK (address <> '' OR NOT notices @? '$.* ? (@ == "letter")');
CREATE INDEX patrons_school ON patrons (school) WHERE school <> ''; -- the numbers by which schools list their pupils
CREATE INDEX patrons_merged ON patrons (merged_into) WHERE merged_into IS NOT NULL;

-- Two records that were found to be one person: what was of the one is of the other since, as long as it is not undone.
CREATE TABLE merges (
    id        bigint PRIMARY KEY DEFAULT nextval('ids'),
    gone_id   bigint NOT NULL REFERENCES patrons,
    kept_id   bigint NOT NULL REFERENCES patrons CHECK (kept_id <> gone_id),
    at        timestamptz NOT NULL,
    staff_id  bigint REFERENCES staff,
    did       jsonb NOT NULL, -- ids of what was moved, by table, and the fields that were filled
    undone_at timestamptz
);
CREATE UNIQUE INDEX merges_once ON merges (gone_id) WHERE undone_at IS NULL;
CREATE INDEX merges_kept ON merges (kept_id);
-- +goose StatementBegin
CREATE FUNCTION same_person(a bigint, b bigint) RETURNS boolean LANGUAGE sql STABLE AS $$
    SELECT EXISTS (SELECT 1 FROM merges WHERE gone_id = a AND kept_id = b OR gone_id = b AND kept_id = a)
$$;
-- An event stays as it is. Only its link to the person can be cut, or follow them to another record of theirs.
CREATE OR REPLACE FUNCTION events_stay() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF TG_OP = 'UPDATE' AND to_jsonb(NEW) - 'patron_id' = to_jsonb(OLD) - 'patron_id'
        AND (NEW.patron_id IS NULL OR same_person(OLD.patron_id, NEW.patron_id)) THEN
        RETURN NEW;
    END IF;
    RAISE EXCEPTION 'entries of events are never changed or deleted';
END $$;
-- An entry of the ledger stays as it is. What it was for can be cut off, once it is settled; it follows the person to
-- another record of theirs.
CREATE OR REPLACE FUNCTION ledger_stays() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF TG_OP = 'UPDATE' AND NEW.patron_id <> OLD.patron_id AND to_jsonb(NEW) - 'patron_id' = to_jsonb(OLD) - 'patron_id'
        AND same_person(OLD.patron_id, NEW.patron_id) THEN
        RETURN NEW;
    END IF;
    IF TG_OP = 'UPDATE' AND NEW.loan_id IS NULL AND NEW.line_id IS NULL AND NEW.why IS NULL
        AND to_jsonb(NEW) - '{loan_id,line_id,why}'::text[] = to_jsonb(OLD) - '{loan_id,line_id,why}'::text[] THEN
        RETURN NEW;
    END IF;
    RAISE EXCEPTION 'entries of ledger are never changed or deleted';
END $$;
-- What is owed follows too; of all entries at once, since a payment may be moved before its charge.
CREATE FUNCTION ledger_moved() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    UPDATE patrons p SET balance = p.balance + d.amount
    FROM (SELECT patron_id, sum(amount) AS amount FROM (
            SELECT w.patron_id, -w.amount AS amount FROM was w JOIN now n ON n.id = w.id WHERE n.patron_id <> w.patron_id
            UNION ALL SELECT n.patron_id, n.amount FROM was w JOIN now n ON n.id = w.id WHERE n.patron_id <> w.patron_id) m
        GROUP BY patron_id) d
    WHERE p.id = d.patron_id AND d.amount <> 0;
    IF EXISTS (SELECT 1 FROM now n JOIN ledger c ON c.id = n.settles WHERE c.patron_id <> n.patron_id)
        OR EXISTS (SELECT 1 FROM now n JOIN ledger s ON s.settles = n.id WHERE s.patron_id <> n.patron_id) THEN
        RAISE EXCEPTION 'an entry was moved without the charge that it settles';
    END IF;
    RETURN NULL;
END $$;
-- Nothing new is of a record that has been merged into another.
CREATE FUNCTION patron_counts() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF EXISTS (SELECT 1 FROM patrons WHERE id = NEW.patron_id AND merged_into IS NOT NULL) THEN
        RAISE check_violation USING MESSAGE = 'patron ' || NEW.patron_id || ' has been merged into another record', CONSTRAINT = 'patron_counts';
    END IF;
    RETURN NEW;
END $$;
-- +goose StatementEnd
CREATE TRIGGER ledger_moved AFTER UPDATE ON ledger REFERENCING OLD TABLE AS was NEW TABLE AS now FOR EACH STATEMENT EXECUTE FUNCTION ledger_moved();
CREATE TRIGGER loans_count BEFORE INSERT ON loans FOR EACH ROW EXECUTE FUNCTION patron_counts();
CREATE TRIGGER holds_count BEFORE INSERT ON holds FOR EACH ROW EXECUTE FUNCTION patron_counts();

-- School classes and clubs. A pupil is in one class at a time, and in as many clubs as they like.
CREATE TABLE rosters (
    id          bigint PRIMARY KEY DEFAULT nextval('ids'),
    kind        text NOT NULL CHECK (kind IN ('class', 'club')),
    name        text NOT NULL CHECK (name <> ''),
    branch_code text NOT NULL REFERENCES branches,
    school      text NOT NULL DEFAULT '',
    school_year text NOT NULL DEFAULT '', -- of a class; its pupils are of that year
    adult_id    bigint REFERENCES patrons, -- who answers for it
    revision    int NOT NULL DEFAULT 1,
    made_at     timestamptz NOT NULL,
    ended_at    timestamptz, -- dissolved
    UNIQUE (id, kind)
);
CREATE UNIQUE INDEX rosters_named ON rosters (branch_code, lower(school), lower(name)) WHERE ended_at IS NULL;
CREATE TABLE roster_members (
    roster_id bigint NOT NULL,
    kind      text NOT NULL,
    patron_id bigint NOT NULL REFERENCES patrons,
    since     timestamptz NOT NULL,
    PRIMARY KEY (roster_id, patron_id),
    FOREIGN KEY (roster_id, kind) REFERENCES rosters (id, kind)
);
CREATE UNIQUE INDEX roster_members_one_class ON roster_members (patron_id) WHERE kind = 'class';
CREATE INDEX roster_members_patron ON roster_members (patron_id);

-- What patrons say of a loan that is late: that they brought it back, or never had it. How often somebody has said so is
-- counted from here, and stays when their history is cut.
CREATE TABLE claims (
    id        bigint PRIMARY KEY DEFAULT nextval('ids'),
    patron_id bigint NOT NULL REFERENCES patrons,
    loan_id   bigint REFERENCES loans, -- null: cut off with the history
    what      text NOT NULL CHECK (what IN ('returned', 'never_had')),
    at        timestamptz NOT NULL,
    staff_id  bigint REFERENCES staff,
    undone_at timestamptz
);
CREATE UNIQUE INDEX claims_once ON claims (loan_id) WHERE undone_at IS NULL AND loan_id IS NOT NULL;
CREATE INDEX claims_patron ON claims (patron_id) WHERE undone_at IS NULL;

-- What was done to many patrons at once, and can be taken back: ids, codes and answers alone.
CREATE TABLE deeds (
    id        bigint PRIMARY KEY DEFAULT nextval('ids'),
    kind      text NOT NULL CHECK (kind IN ('made', 'changed', 'filled', 'left', 'moved_up', 'dissolved', 'consents')),
    at        timestamptz NOT NULL,
    staff_id  bigint REFERENCES staff,
    did       jsonb NOT NULL,
    undone_at timestamptz
);

-- People who sign up by themselves wait here.
CREATE TABLE sign_ups (
    id          bigint PRIMARY KEY DEFAULT nextval('ids'),
    at          timestamptz NOT NULL,
    branch_code text NOT NULL REFERENCES branches,
    record      jsonb NOT NULL, -- as they wrote it; emptied once it has been answered for a while
    state       text NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting', 'taken', 'turned_down')),
    patron_id   bigint REFERENCES patrons, -- who it is; while it waits, the holder of a temporary card
    reason      text NOT NULL DEFAULT '',
    answered_at timestamptz,
    staff_id    bigint REFERENCES staff,
    CHECK ((state = 'waiting') = (answered_at IS NULL)),
    CHECK (state <> 'taken' OR patron_id IS NOT NULL)
);
CREATE INDEX sign_ups_waiting ON sign_ups (id) WHERE state = 'waiting';
CREATE INDEX sign_ups_answered ON sign_ups (answered_at) WHERE answered_at IS NOT NULL;
CREATE INDEX sign_ups_patron ON sign_ups (patron_id) WHERE patron_id IS NOT NULL;

-- What goes by phone or letter waits for who calls or prints.
ALTER TABLE messages ADD COLUMN channel text NOT NULL DEFAULT 'mail' CHECK (channel IN ('mail', 'phone', 'letter')),
    DROP CONSTRAINT messages_state_check,
    ADD CONSTRAINT messages_state_check CHECK (state IN ('trial', 'left_out', 'queued', 'sending', 'sent', 'unclear', 'no_address', 'by_hand')),
    ADD CONSTRAINT messages_by_hand CHECK (channel <> 'mail' OR state <> 'by_hand');
CREATE INDEX messages_by_hand ON messages (at, id) WHERE state = 'by_hand';

-- +goose Down
-- Older forms know one record for a person only as two: once two were merged, this ends with that and changes nothing.
-- +goose StatementBegin
DO $$ BEGIN
    IF EXISTS (SELECT 1 FROM merges WHERE undone_at IS NULL) THEN RAISE EXCEPTION 'records have been merged'; END IF;
END $$;
CREATE OR REPLACE FUNCTION ledger_stays() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF TG_OP = 'UPDATE' AND NEW.loan_id IS NULL AND NEW.line_id IS NULL AND NEW.why IS NULL
        AND to_jsonb(NEW) - '{loan_id,line_id,why}'::text[] = to_jsonb(OLD) - '{loan_id,line_id,why}'::text[] THEN
        RETURN NEW;
    END IF;
    RAISE EXCEPTION 'entries of ledger are never changed or deleted';
END $$;
CREATE OR REPLACE FUNCTION events_stay() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF TG_OP = 'UPDATE' AND NEW.patron_id IS NULL AND to_jsonb(NEW) - 'patron_id' = to_jsonb(OLD) - 'patron_id' THEN
        RETURN NEW;
    END IF;
    RAISE EXCEPTION 'entries of events are never changed or deleted';
END $$;
-- +goose StatementEnd
DROP INDEX messages_by_hand;
UPDATE messages SET state = 'no_address' WHERE state = 'by_hand';
ALTER TABLE messages DROP CONSTRAINT messages_by_hand, DROP CONSTRAINT messages_state_check,
    ADD CONSTRAINT messages_state_check CHECK (state IN ('trial', 'left_out', 'queued', 'sending', 'sent', 'unclear', 'no_address')),
    DROP COLUMN channel;
DROP TABLE claims, sign_ups, deeds, roster_members, rosters;
DROP TRIGGER loans_count ON loans;
DROP TRIGGER holds_count ON holds;
DROP TRIGGER ledger_moved ON ledger;
DROP FUNCTION patron_counts, ledger_moved, same_person;
DROP TABLE merges;
DROP INDEX patrons_school;
ALTER TABLE patrons DROP COLUMN merged_into, DROP COLUMN confirmed_on, DROP COLUMN identity_guardian, DROP COLUMN ask_before, DROP COLUMN notices;
