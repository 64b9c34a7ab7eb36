-- +goose Up
-- What the network has settled beside rules and calendars, in the form of core/house; what is not there is as usual.
ALTER TABLE network ADD COLUMN settings jsonb NOT NULL DEFAULT '{}';

-- Wrong tries to sign in, over all copies. A key is a name, an address, or both.
CREATE TABLE wrong_tries (
    of      text NOT NULL CHECK (of IN ('pair', 'name', 'address')),
    key     text NOT NULL,
    number  int NOT NULL CHECK (number > 0),
    last_at timestamptz NOT NULL,
    PRIMARY KEY (of, key)
);
CREATE INDEX wrong_tries_last ON wrong_tries (last_at);

-- From where somebody has signed in before.
CREATE TABLE staff_addresses (
    staff_id bigint NOT NULL REFERENCES staff ON DELETE CASCADE,
    address  text NOT NULL,
    last_at  timestamptz NOT NULL,
    PRIMARY KEY (staff_id, address)
);

ALTER TABLE staff
    ADD COLUMN short_hash text NOT NULL DEFAULT '', -- of the short code with which they come back to a station
    ADD COLUMN short_wrong int NOT NULL DEFAULT 0 CHECK (short_wrong >= 0);

-- Where somebody may work beside their own branch. Who supervises works everywhere.
CREATE TABLE staff_branches (
    staff_id    bigint NOT NULL REFERENCES staff ON DELETE CASCADE,
    branch_code text NOT NULL REFERENCES branches,
    PRIMARY KEY (staff_id, branch_code)
);

-- A link with which somebody sets a new password, once. Only a digest of what is in it is kept.
CREATE TABLE once_links (
    digest   bytea PRIMARY KEY CHECK (length(digest) = 32),
    staff_id bigint NOT NULL REFERENCES staff ON DELETE CASCADE,
    made_by  bigint REFERENCES staff,
    until    timestamptz NOT NULL
);
CREATE INDEX once_links_staff ON once_links (staff_id);

-- Of a session only the digest of its token is kept; who reads the table can enter nowhere.
DROP TABLE sessions;
CREATE TABLE sessions (
    digest   bytea PRIMARY KEY CHECK (length(digest) = 32),
    data     bytea NOT NULL,
    staff_id bigint REFERENCES staff, -- whose it is, so that session and person are found together
    expiry   timestamptz NOT NULL,
    begun_at timestamptz NOT NULL DEFAULT clock_timestamp(),
    seen_at  timestamptz NOT NULL DEFAULT clock_timestamp(), -- when a hand was last on the station
    own      boolean NOT NULL DEFAULT false, -- at a station that nobody else uses: no idle end
    address  text NOT NULL DEFAULT ''
);
CREATE INDEX sessions_expiry ON sessions (expiry);
CREATE INDEX sessions_staff ON sessions (staff_id);
CREATE TRIGGER sessions_ended AFTER DELETE ON sessions FOR EACH ROW EXECUTE FUNCTION session_ended();

-- Of what a request came is kept with what it did, so that a line of the log and an event find each other.
ALTER TABLE events ADD COLUMN request text;

-- Who has opened whose record, and searched for whom.
CREATE TABLE readings (
    id          bigint PRIMARY KEY DEFAULT nextval('ids'),
    at          timestamptz NOT NULL,
    staff_id    bigint NOT NULL REFERENCES staff,
    branch_code text REFERENCES branches,
    kind        text NOT NULL CHECK (kind IN ('scanned', 'opened', 'history', 'searched', 'taken_out')),
    patron_id   bigint REFERENCES patrons,
    words       text NOT NULL DEFAULT '',
    CHECK ((kind = 'searched') = (patron_id IS NULL))
);
CREATE INDEX readings_at ON readings (id DESC);
CREATE INDEX readings_patron ON readings (patron_id, id DESC) WHERE patron_id IS NOT NULL;
CREATE INDEX readings_staff ON readings (staff_id, id DESC);
CREATE INDEX readings_old ON readings USING brin (at);

-- What patrons have chosen of their lending history.
ALTER TABLE patrons
    ADD COLUMN history_months int CHECK (history_months BETWEEN 0 AND 1200), -- null: as the network has settled
    ADD COLUMN history_seen boolean NOT NULL DEFAULT false, -- staff may see it
    ADD COLUMN forgotten_at timestamptz;

-- Whoever it was can be cut off from what has ended; what happened stays.
ALTER TABLE holds ALTER COLUMN patron_id DROP NOT NULL,
    ADD CONSTRAINT holds_of_somebody CHECK (closed_at IS NOT NULL OR patron_id IS NOT NULL);
ALTER TABLE requests DROP CONSTRAINT requests_check,
    ADD CONSTRAINT requests_sides CHECK (CASE role WHEN 'requesting' THEN pickup IS NOT NULL
            AND (patron_id IS NOT NULL OR stage IN ('done', 'refused', 'withdrawn'))
        ELSE pickup IS NULL AND patron_id IS NULL END);
CREATE INDEX loans_to_cut ON loans (returned_at, id) WHERE returned_at IS NOT NULL AND patron_id IS NOT NULL;
CREATE INDEX holds_to_cut ON holds (closed_at) WHERE closed_at IS NOT NULL AND patron_id IS NOT NULL;
CREATE INDEX return_lines_loan ON return_lines (loan_id) WHERE loan_id IS NOT NULL;
CREATE INDEX return_lines_card ON return_lines (text) WHERE found = 'card';
CREATE INDEX holds_of_patron ON holds (patron_id) WHERE patron_id IS NOT NULL;
CREATE INDEX reports_patron ON reports (patron_id) WHERE patron_id IS NOT NULL;
CREATE INDEX messages_patron ON messages (patron_id);
CREATE INDEX messages_at ON messages (at);
CREATE INDEX requests_patron ON requests (patron_id) WHERE patron_id IS NOT NULL;
-- An entry of the ledger stays as it is. Only what it was for can be cut off, once it is settled: whose it was and how much
-- is what the books need.
-- +goose StatementBegin
CREATE FUNCTION ledger_stays() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF TG_OP = 'UPDATE' AND NEW.loan_id IS NULL AND NEW.line_id IS NULL AND NEW.why IS NULL
        AND to_jsonb(NEW) - '{loan_id,line_id,why}'::text[] = to_jsonb(OLD) - '{loan_id,line_id,why}'::text[] THEN
        RETURN NEW;
    END IF;
    RAISE EXCEPTION 'entries of ledger are never changed or deleted';
END $$;
-- +goose StatementEnd
DROP TRIGGER ledger_stays ON ledger;
CREATE TRIGGER ledger_stays BEFORE UPDATE OR DELETE ON ledger FOR EACH ROW EXECUTE FUNCTION ledger_stays();

-- A digest of the secret with which a partner's messages come.
ALTER TABLE partners ADD COLUMN secret_digest bytea UNIQUE CHECK (length(secret_digest) = 32);
UPDATE partners SET secret_digest = sha256(secret::bytea);
ALTER TABLE partners DROP COLUMN secret, ALTER COLUMN secret_digest SET NOT NULL;

-- +goose Down
-- The older form has no room for holds and requests of nobody: once somebody has been cut off, this ends with that and
-- changes nothing.
DROP TRIGGER ledger_stays ON ledger;
CREATE TRIGGER ledger_stays BEFORE UPDATE OR DELETE ON ledger FOR EACH ROW EXECUTE FUNCTION never_changed();
DROP FUNCTION ledger_stays;
DROP INDEX loans_to_cut, holds_to_cut, return_lines_loan, return_lines_card, holds_of_patron, reports_patron, messages_patron, messages_at, requests_patron;
ALTER TABLE requests DROP CONSTRAINT requests_sides,
    ADD CHECK ((role = 'requesting') = (patron_id IS NOT NULL AND pickup IS NOT NULL));
ALTER TABLE holds DROP CONSTRAINT holds_of_somebody, ALTER COLUMN patron_id SET NOT NULL;
ALTER TABLE partners ADD COLUMN secret text;
UPDATE partners SET secret = encode(secret_digest, 'hex');
ALTER TABLE partners DROP COLUMN secret_digest, ALTER COLUMN secret SET NOT NULL, ADD UNIQUE (secret);
ALTER TABLE patrons DROP COLUMN history_months, DROP COLUMN history_seen, DROP COLUMN forgotten_at;
DROP TABLE readings;
ALTER TABLE events DROP COLUMN request;
DROP TABLE sessions;
CREATE TABLE sessions (
    token    text PRIMARY KEY,
    data     bytea NOT NULL,
    staff_id bigint REFERENCES staff,
    expiry   timestamptz NOT NULL
);
CREATE INDEX sessions_expiry ON sessions (expiry);
CREATE TRIGGER sessions_ended AFTER DELETE ON sessions FOR EACH ROW EXECUTE FUNCTION session_ended();
DROP TABLE once_links, staff_branches, staff_addresses, wrong_tries;
ALTER TABLE staff DROP COLUMN short_hash, DROP COLUMN short_wrong;
ALTER TABLE network DROP COLUMN settings;
