-- +goose Up
-- What stands beside a station: a pad that reads tags, and a terminal that takes cards. Empty: none.
ALTER TABLE stations
    ADD COLUMN pad      text NOT NULL DEFAULT '' CHECK (pad = '' OR pad ~ '^ws://(127\.0\.0\.1|localhost):[0-9]+'),
    ADD COLUMN terminal text NOT NULL DEFAULT '';

-- Payments at card terminals, from being asked for to their end. What a terminal has approved and nobody has written down yet is found
-- here after any fault. What was to be settled is forgotten once a payment has ended; its receipt tells then.
CREATE TABLE terminal_payments (
    id           bigint PRIMARY KEY DEFAULT nextval('ids'),
    at           timestamptz NOT NULL,
    asked_at     timestamptz NOT NULL DEFAULT now(), -- by the clock of the machine, which terminals go by
    branch_code  text NOT NULL REFERENCES branches,
    staff_id     bigint NOT NULL REFERENCES staff,
    station_id   bigint REFERENCES stations ON DELETE SET NULL,
    terminal     text NOT NULL CHECK (terminal <> ''), -- where it was reached when it was asked
    reference    text NOT NULL UNIQUE DEFAULT replace(gen_random_uuid()::text, '-', ''), -- by which the terminal knows it
    till_id      bigint REFERENCES tills,
    amount       bigint NOT NULL CHECK (amount > 0),
    settling     jsonb,
    state        text NOT NULL CHECK (state IN ('asked', 'stopping', 'returning', 'taken', 'refused', 'returned')),
    sent         boolean NOT NULL DEFAULT false, -- the terminal may have been asked for it
    silent       boolean NOT NULL DEFAULT false, -- the terminal does not say how it ended
    says         text NOT NULL DEFAULT '',
    receipt_id   bigint UNIQUE REFERENCES receipts,
    ended_at     timestamptz,
    worker       text NOT NULL DEFAULT '', -- who is at it, and until when they have said so
    worked_until timestamptz NOT NULL DEFAULT now(),
    CHECK ((state = 'taken') = (receipt_id IS NOT NULL)),
    CHECK ((state IN ('taken', 'refused', 'returned')) = (ended_at IS NOT NULL)),
    CHECK ((settling IS NULL) = (ended_at IS NOT NULL))
);
CREATE INDEX terminal_payments_open ON terminal_payments (id) WHERE ended_at IS NULL;
CREATE INDEX terminal_payments_till ON terminal_payments (till_id) WHERE ended_at IS NULL;

-- Who pays at a terminal now: nobody at two.
CREATE TABLE terminal_payers (
    patron_id  bigint PRIMARY KEY REFERENCES patrons,
    payment_id bigint NOT NULL REFERENCES terminal_payments
);
CREATE INDEX terminal_payers_payment ON terminal_payers (payment_id);

-- A till is not counted while somebody pays into it at a terminal.
CREATE TRIGGER terminal_payments_into_open BEFORE INSERT ON terminal_payments FOR EACH ROW EXECUTE FUNCTION till_is_open();
-- +goose StatementBegin
CREATE FUNCTION till_is_quiet() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF NEW.closed_at IS NOT NULL AND EXISTS (SELECT 1 FROM terminal_payments WHERE till_id = NEW.id AND ended_at IS NULL) THEN
        RAISE check_violation USING MESSAGE = 'somebody pays into till ' || NEW.id || ' at a terminal', CONSTRAINT = 'till_is_quiet';
    END IF;
    RETURN NEW;
END $$;
-- +goose StatementEnd
CREATE TRIGGER tills_quiet BEFORE UPDATE ON tills FOR EACH ROW EXECUTE FUNCTION till_is_quiet();

-- A photograph on a patron's record, so that a borrowed card is noticed. When it was taken stands with the patron.
CREATE TABLE patron_photos (
    patron_id bigint PRIMARY KEY REFERENCES patrons,
    kind      text NOT NULL CHECK (kind IN ('image/png', 'image/jpeg')),
    picture   bytea NOT NULL CHECK (octet_length(picture) BETWEEN 1 AND 300000)
);
ALTER TABLE patrons ADD COLUMN photo_at timestamptz;

-- Whoever refuses photographs, by whatever way that is written down, has none on the record.
-- +goose StatementBegin
CREATE FUNCTION photo_refused() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    DELETE FROM patron_photos WHERE patron_id = NEW.id;
    NEW.photo_at := NULL;
    RETURN NEW;
END $$;
-- +goose StatementEnd
CREATE TRIGGER patrons_photo_refused BEFORE UPDATE ON patrons FOR EACH ROW
    WHEN (NEW.photo IS FALSE AND NEW.photo_at IS NOT NULL) EXECUTE FUNCTION photo_refused();

-- +goose Down
-- +goose StatementBegin
DO $$ BEGIN
    IF EXISTS (SELECT 1 FROM terminal_payments WHERE ended_at IS NULL) THEN
        RAISE EXCEPTION 'a card payment is at its terminal; wait for its end';
    END IF;
END $$;
-- +goose StatementEnd
DROP TRIGGER tills_quiet ON tills;
DROP TABLE terminal_payers, terminal_payments;
DROP FUNCTION till_is_quiet;
DROP TRIGGER patrons_photo_refused ON patrons;
DROP FUNCTION photo_refused;
DROP TABLE patron_photos;
ALTER TABLE patrons DROP COLUMN photo_at;
ALTER TABLE stations DROP COLUMN pad, DROP COLUMN terminal;
