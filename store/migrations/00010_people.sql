-- +goose Up
ALTER TABLE patrons
    ADD COLUMN institution     boolean NOT NULL DEFAULT false,
    ADD COLUMN other_phones    text[] NOT NULL DEFAULT '{}',
    ADD COLUMN text_number     text NOT NULL DEFAULT '',
    ADD COLUMN postal_code     text NOT NULL DEFAULT '',
    ADD COLUMN town            text NOT NULL DEFAULT '',
    ADD COLUMN home_address    text NOT NULL DEFAULT '',
    ADD COLUMN mail_returned   boolean NOT NULL DEFAULT false,
    ADD COLUMN in_area         boolean,
    ADD COLUMN guardian_id     bigint REFERENCES patrons CHECK (guardian_id <> id),
    ADD COLUMN guardian_name   text NOT NULL DEFAULT '',
    ADD COLUMN answers_for_all boolean NOT NULL DEFAULT false,
    ADD COLUMN identity        text NOT NULL DEFAULT '',
    ADD COLUMN identity_two    text NOT NULL DEFAULT '',
    ADD COLUMN identity_number text NOT NULL DEFAULT '',
    ADD COLUMN school          text NOT NULL DEFAULT '',
    ADD COLUMN school_year     text NOT NULL DEFAULT '',
    ADD COLUMN pickup          text REFERENCES branches, -- null: at the home branch
    ADD COLUMN may_use         text[] NOT NULL DEFAULT '{}',
    ADD COLUMN marks           text[] NOT NULL DEFAULT '{}',
    ADD COLUMN stopped         text NOT NULL DEFAULT '', -- why they may look and not borrow; empty: they may
    ADD COLUMN standing_reason text NOT NULL DEFAULT '',
    ADD COLUMN internet        text NOT NULL DEFAULT '' CHECK (internet IN ('', 'none', 'filtered', 'full')),
    ADD COLUMN photo           boolean, -- may be photographed; null: never asked
    ADD COLUMN pin_hash        text NOT NULL DEFAULT '',
    ADD COLUMN joined_on       date,
    ADD COLUMN revision        int NOT NULL DEFAULT 1,
    ADD COLUMN phone_tail      text GENERATED ALWAYS AS (right(regexp_replace(phone, '[^0-9]', '', 'g'), 7)) STORED;
ALTER TABLE patrons DROP COLUMN words;
ALTER TABLE patrons ADD COLUMN words text GENERATED ALWAYS AS (lower(legal_name || ' ' || preferred_name || ' ' || shelf_name || ' ' || card || ' '
    || email || ' ' || regexp_replace(phone, '[^0-9]', '', 'g') || ' ' || regexp_replace(text_number, '[^0-9]', '', 'g') || ' ' || school || ' ' || guardian_name)) STORED;
CREATE INDEX patrons_words ON patrons USING gin (words gin_trgm_ops);
CREATE INDEX patrons_names ON patrons USING gin (lower(legal_name) gin_trgm_ops) WHERE forgotten_at IS NULL;
CREATE INDEX patrons_born ON patrons (born) WHERE born IS NOT NULL;
CREATE INDEX patrons_email ON patrons (lower(email)) WHERE email <> '';
CREATE INDEX patrons_phone ON patrons (phone_tail) WHERE phone_tail <> '';
CREATE INDEX patrons_guardian ON patrons (guardian_id) WHERE guardian_id IS NOT NULL;
CREATE INDEX patrons_postal ON patrons (postal_code, town);
-- Who grows out of their class is found by their birthday.
CREATE INDEX patrons_class_born ON patrons (class, born) WHERE born IS NOT NULL AND forgotten_at IS NULL;

-- Cards that somebody has had before: scanned, they say whose they were and that there is another.
CREATE TABLE former_cards (
    card      text PRIMARY KEY CHECK (card ~ '^[0-9A-Z]{3,30}$'),
    patron_id bigint NOT NULL REFERENCES patrons,
    ended_at  timestamptz NOT NULL,
    why       text NOT NULL DEFAULT ''
);
CREATE INDEX former_cards_patron ON former_cards (patron_id);
-- A number is a card of one person, now or before; it is looked at when all is done, since a card is replaced in two steps.
-- +goose StatementBegin
CREATE FUNCTION card_once() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF EXISTS (SELECT 1 FROM former_cards f JOIN patrons p ON p.card = f.card WHERE f.card = NEW.card) THEN
        RAISE unique_violation USING MESSAGE = 'the number ' || NEW.card || ' is a card already', CONSTRAINT = 'patrons_card_key';
    END IF;
    RETURN NULL;
END $$;
-- +goose StatementEnd
CREATE CONSTRAINT TRIGGER card_once AFTER INSERT OR UPDATE OF card ON patrons DEFERRABLE INITIALLY DEFERRED FOR EACH ROW EXECUTE FUNCTION card_once();
CREATE CONSTRAINT TRIGGER card_once AFTER INSERT ON former_cards DEFERRABLE INITIALLY DEFERRED FOR EACH ROW EXECUTE FUNCTION card_once();

CREATE TABLE patron_notes (
    id        bigint PRIMARY KEY DEFAULT nextval('ids'),
    patron_id bigint NOT NULL REFERENCES patrons,
    kind      text NOT NULL,
    text      text NOT NULL CHECK (text <> ''),
    at        timestamptz NOT NULL,
    staff_id  bigint REFERENCES staff,
    ended_at  timestamptz
);
CREATE INDEX patron_notes_patron ON patron_notes (patron_id, id);
INSERT INTO patron_notes (patron_id, kind, text, at) SELECT id, 'desk', note, now() FROM patrons WHERE note <> '';
ALTER TABLE patrons DROP COLUMN note;

-- Answers of guardians and of grown-ups, as they were given: the last of each counts, and stands on the patron too.
CREATE TABLE consents (
    id        bigint PRIMARY KEY DEFAULT nextval('ids'),
    patron_id bigint NOT NULL REFERENCES patrons,
    what      text NOT NULL CHECK (what IN ('older_reader', 'internet', 'photo')),
    answer    text NOT NULL, -- yes, no, or the level of the internet
    at        timestamptz NOT NULL,
    staff_id  bigint REFERENCES staff,
    reason    text NOT NULL DEFAULT '',
    letter    boolean NOT NULL DEFAULT false -- a letter was seen
);
CREATE INDEX consents_patron ON consents (patron_id, what, id DESC);

-- What is charged by hand, from the network's price list; its name stands in the reason.
ALTER TABLE ledger DROP CONSTRAINT ledger_about_check,
    ADD CONSTRAINT ledger_about_check CHECK (about IN ('late', 'lost', 'processing', 'membership', 'uncollected', 'outside', 'manual')),
    ADD CONSTRAINT ledger_manual_named CHECK (about <> 'manual' OR kind <> 'charge' OR reason <> '');

-- +goose Down
-- The older form has no room for charges by hand: once there is one, this ends with that and changes nothing.
ALTER TABLE ledger DROP CONSTRAINT ledger_manual_named, DROP CONSTRAINT ledger_about_check,
    ADD CONSTRAINT ledger_about_check CHECK (about IN ('late', 'lost', 'processing', 'membership', 'uncollected', 'outside'));
ALTER TABLE patrons ADD COLUMN note text NOT NULL DEFAULT '';
UPDATE patrons p SET note = n.text FROM patron_notes n WHERE n.patron_id = p.id AND n.ended_at IS NULL;
DROP TABLE consents, patron_notes, former_cards;
DROP TRIGGER card_once ON patrons;
DROP FUNCTION card_once;
ALTER TABLE patrons DROP COLUMN words, DROP COLUMN phone_tail;
ALTER TABLE patrons DROP COLUMN institution, DROP COLUMN other_phones, DROP COLUMN text_number, DROP COLUMN postal_code, DROP COLUMN town,
    DROP COLUMN home_address, DROP COLUMN mail_returned, DROP COLUMN in_area, DROP COLUMN guardian_id, DROP COLUMN guardian_name,
    DROP COLUMN answers_for_all, DROP COLUMN identity, DROP COLUMN identity_two, DROP COLUMN identity_number, DROP COLUMN school,
    DROP COLUMN school_year, DROP COLUMN pickup, DROP COLUMN may_use, DROP COLUMN marks, DROP COLUMN stopped, DROP COLUMN standing_reason,
    DROP COLUMN internet, DROP COLUMN photo, DROP COLUMN pin_hash, DROP COLUMN joined_on, DROP COLUMN revision;
ALTER TABLE patrons ADD COLUMN words text GENERATED ALWAYS AS (lower(legal_name || ' ' || preferred_name || ' ' || shelf_name || ' ' || card || ' ' || email)) STORED;
CREATE INDEX patrons_words ON patrons USING gin (words gin_trgm_ops);
