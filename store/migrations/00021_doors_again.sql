-- +goose Up
-- Tries are counted under digests: what somebody types as a login may be their password. Counts of a day are not carried over.
DELETE FROM wrong_tries;
ALTER TABLE wrong_tries DROP CONSTRAINT wrong_tries_of_check,
    ADD CONSTRAINT wrong_tries_of_check CHECK (of IN ('pair', 'name', 'address', 'range'));

-- From where and with what a patron has signed in before: a browser by the digest of its cookie, or the digest of a neighbourhood of
-- addresses. Nobody else's tries shut them out there.
CREATE TABLE patron_places (
    patron_id bigint NOT NULL REFERENCES patrons (id) ON DELETE CASCADE,
    kind      text NOT NULL CHECK (kind IN ('device', 'near')),
    digest    bytea NOT NULL,
    last_at   timestamptz NOT NULL,
    PRIMARY KEY (patron_id, kind, digest)
);
CREATE INDEX patron_places_last ON patron_places (last_at);

-- The secret of a second factor that a session was offered, sealed. It goes with the session.
CREATE TABLE second_offers (
    session  bytea PRIMARY KEY REFERENCES sessions (digest) ON DELETE CASCADE,
    staff_id bigint NOT NULL REFERENCES staff (id) ON DELETE CASCADE,
    sealed   text NOT NULL CHECK (sealed LIKE 'sealed.%'),
    until    timestamptz NOT NULL
);

-- Who looks at a list that names persons leaves a reading, as who opens a record does.
ALTER TABLE readings DROP CONSTRAINT readings_kind_check, DROP CONSTRAINT readings_check,
    ADD CONSTRAINT readings_kind_check CHECK (kind IN ('scanned', 'opened', 'history', 'searched', 'listed', 'taken_out')),
    ADD CONSTRAINT readings_check CHECK ((kind IN ('searched', 'listed')) = (patron_id IS NULL));
CREATE INDEX readings_listed ON readings (staff_id, at) WHERE kind = 'listed';

-- How many cards somebody has scanned who opens records with the card in hand only, minute by minute.
CREATE TABLE cards_scanned (
    staff_id bigint NOT NULL REFERENCES staff (id) ON DELETE CASCADE,
    minute   timestamptz NOT NULL,
    number   int NOT NULL CHECK (number > 0),
    PRIMARY KEY (staff_id, minute)
);

-- Who is at some work that takes long, and when they were heard of last. It is the same for all such work.
CREATE TABLE work_claims (
    name    text PRIMARY KEY,
    holder  text NOT NULL,
    beat_at timestamptz NOT NULL
);
ALTER TABLE intakes DROP COLUMN worker, DROP COLUMN beat_at;
ALTER TABLE terminal_payments DROP COLUMN worker, DROP COLUMN worked_until;
CREATE INDEX rehearsals_open ON rehearsals (id) WHERE state IN ('waiting', 'running');

-- A night that has been done whole says so itself. Until now that was one in which all steps had been done that there are.
INSERT INTO nights (day, step, ended_at)
    SELECT day, 'whole', max(ended_at) FROM nights GROUP BY day
    HAVING bool_and(ended_at IS NOT NULL) AND count(*) >= (SELECT max(n) FROM (SELECT count(*) AS n FROM nights GROUP BY day) of_each);
CREATE INDEX nights_whole ON nights (day) WHERE step = 'whole';

-- Up to when loans that ended have been looked at, by for how many months patrons have their history kept (-1: as is usual); loans
-- that would have been cut and for which something is owed; and patrons who have chosen anew since.
CREATE TABLE history_marks (
    months int PRIMARY KEY CHECK (months >= -1),
    until  timestamptz NOT NULL
);
CREATE TABLE history_later (loan_id bigint PRIMARY KEY REFERENCES loans ON DELETE CASCADE);
ALTER TABLE patrons ADD COLUMN history_changed boolean NOT NULL DEFAULT false;
CREATE INDEX patrons_history ON patrons (history_months) WHERE history_months IS NOT NULL;
CREATE INDEX patrons_history_changed ON patrons (id) WHERE history_changed;

-- An email that was refused for good is not tried again: somebody tells the patron in another way, or mends the address.
ALTER TABLE messages DROP CONSTRAINT messages_state_check,
    ADD CONSTRAINT messages_state_check CHECK (state IN ('trial', 'left_out', 'queued', 'sending', 'sent', 'unclear', 'refused', 'no_address', 'by_hand'));
CREATE INDEX messages_refused ON messages (at, id) WHERE state = 'refused';

-- A till is closed after all that went into it, by the one clock.
-- +goose StatementBegin
CREATE OR REPLACE FUNCTION till_stays() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF TG_OP = 'UPDATE' AND OLD.closed_at IS NULL THEN
        IF NEW.closed_at < greatest((SELECT max(at) FROM receipts WHERE till_id = NEW.id), (SELECT max(at) FROM till_moves WHERE till_id = NEW.id)) THEN
            RAISE check_violation USING MESSAGE = 'till ' || NEW.id || ' would be closed before what went into it', CONSTRAINT = 'till_closes_last';
        END IF;
        RETURN NEW;
    END IF;
    RAISE EXCEPTION 'a till that has been closed is never changed or deleted';
END $$;
-- +goose StatementEnd

-- +goose Down
-- +goose StatementBegin
CREATE OR REPLACE FUNCTION till_stays() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF TG_OP = 'UPDATE' AND OLD.closed_at IS NULL THEN
        RETURN NEW;
    END IF;
    RAISE EXCEPTION 'a till that has been closed is never changed or deleted';
END $$;
-- +goose StatementEnd
DELETE FROM readings WHERE kind = 'listed';
DROP INDEX patrons_history_changed, patrons_history;
ALTER TABLE patrons DROP COLUMN history_changed;
DROP TABLE history_later, history_marks;
DROP INDEX messages_refused;
UPDATE messages SET state = 'unclear' WHERE state = 'refused';
ALTER TABLE messages DROP CONSTRAINT messages_state_check,
    ADD CONSTRAINT messages_state_check CHECK (state IN ('trial', 'left_out', 'queued', 'sending', 'sent', 'unclear', 'no_address', 'by_hand'));
DROP INDEX nights_whole, rehearsals_open;
DELETE FROM nights WHERE step = 'whole';
ALTER TABLE terminal_payments ADD COLUMN worker text NOT NULL DEFAULT '', ADD COLUMN worked_until timestamptz NOT NULL DEFAULT now();
ALTER TABLE intakes ADD COLUMN worker text NOT NULL DEFAULT '', ADD COLUMN beat_at timestamptz;
DROP TABLE work_claims;
DROP INDEX readings_listed;
ALTER TABLE readings DROP CONSTRAINT readings_kind_check, DROP CONSTRAINT readings_check,
    ADD CONSTRAINT readings_kind_check CHECK (kind IN ('scanned', 'opened', 'history', 'searched', 'taken_out')),
    ADD CONSTRAINT readings_check CHECK ((kind = 'searched') = (patron_id IS NULL));
DROP TABLE cards_scanned, second_offers, patron_places;
DELETE FROM wrong_tries;
ALTER TABLE wrong_tries DROP CONSTRAINT wrong_tries_of_check,
    ADD CONSTRAINT wrong_tries_of_check CHECK (of IN ('pair', 'name', 'address'));
