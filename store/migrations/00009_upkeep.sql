-- +goose Up
-- How numbers look is settled by the network, not by the database.
ALTER TABLE network ADD COLUMN numbers jsonb;
UPDATE network SET numbers = jsonb_build_object('patterns', jsonb_build_array(
    jsonb_build_object('name', 'Cards', 'of', 'card', 'use', 'given', 'branch', '', 'library', '', 'begins', '2' || digits,
        'length', 14, 'letters', false, 'check', 'luhn', 'groups', '[1,4,5,4]'::jsonb),
    jsonb_build_object('name', 'Labels', 'of', 'item', 'use', 'given', 'branch', '', 'library', '', 'begins', '3' || digits,
        'length', 14, 'letters', false, 'check', 'luhn', 'groups', '[1,4,5,4]'::jsonb),
    jsonb_build_object('name', 'Things from outside', 'of', 'item', 'use', 'guest', 'branch', '', 'library', '', 'begins', '3' || digits || '9',
        'length', 14, 'letters', false, 'check', 'luhn', 'groups', '[1,4,5,4]'::jsonb)));
ALTER TABLE network ALTER COLUMN numbers SET NOT NULL, DROP COLUMN digits,
    ADD COLUMN symbol text NOT NULL DEFAULT 'OURS' CHECK (symbol ~ '^[A-Z0-9-]{2,16}$'); -- ours towards partners
ALTER TABLE patrons DROP CONSTRAINT patrons_card_check, ADD CONSTRAINT patrons_card_form CHECK (card ~ '^[0-9A-Z]{3,30}$');
ALTER TABLE items DROP CONSTRAINT items_barcode_check, ADD CONSTRAINT items_barcode_form CHECK (barcode ~ '^[0-9A-Z]{3,30}$');

-- How far the numbers of a pattern have been given out.
CREATE TABLE number_rows (
    begins text PRIMARY KEY,
    next   bigint NOT NULL CHECK (next > 0)
);

ALTER TABLE branches
    ADD COLUMN address    text NOT NULL DEFAULT '',
    ADD COLUMN phones     text[] NOT NULL DEFAULT '{}',
    ADD COLUMN closed_on  date, -- closed for good
    ADD COLUMN follows    text REFERENCES branches, -- where what belonged there belongs since
    ADD CONSTRAINT branches_closed CHECK ((closed_on IS NULL) = (follows IS NULL) AND follows <> code);

ALTER TABLE classes
    ADD COLUMN from_age   int CHECK (from_age BETWEEN 0 AND 150), -- a patron class proposed from this age on
    ADD COLUMN to_age     int CHECK (to_age BETWEEN 1 AND 150), -- and before the birthday of this one
    ADD COLUMN next       text NOT NULL DEFAULT '', -- which then follows
    ADD COLUMN branches   text[], -- which branches offer it; null: all
    ADD COLUMN staff_only boolean NOT NULL DEFAULT false, -- a collection that the public neither finds nor holds
    ADD COLUMN retired    boolean NOT NULL DEFAULT false, -- known, and no longer offered
    ADD CHECK (to_age > from_age);

-- Lists to choose from: why something is waived, cancelled or refused; what a manual charge costs; kinds of note; free
-- classifications of patrons.
CREATE TABLE choices (
    list     text NOT NULL CHECK (list IN ('waive', 'cancel', 'refuse', 'charge', 'note', 'mark')),
    code     text NOT NULL CHECK (code ~ '^[a-z0-9_]{1,40}$'),
    name     text NOT NULL CHECK (name <> ''),
    position int NOT NULL,
    amount   bigint CHECK (amount > 0), -- of a charge, in minor units
    loud     boolean NOT NULL DEFAULT false, -- a note that shows at every scan of the card
    retired  boolean NOT NULL DEFAULT false,
    PRIMARY KEY (list, code),
    CHECK ((list = 'charge') = (amount IS NOT NULL)),
    CHECK (list = 'note' OR NOT loud)
);

CREATE TABLE stations (
    id          bigint PRIMARY KEY DEFAULT nextval('ids'),
    branch_code text NOT NULL REFERENCES branches,
    name        text NOT NULL CHECK (name <> ''),
    paper       text NOT NULL CHECK (paper IN ('80mm', '58mm', 'a4', 'letter')),
    slips       boolean NOT NULL, -- slips print by themselves
    sounds      boolean NOT NULL,
    UNIQUE (branch_code, name)
);
CREATE TRIGGER choices_changed AFTER INSERT OR UPDATE OR DELETE ON choices FOR EACH STATEMENT EXECUTE FUNCTION network_changed();
CREATE TRIGGER stations_changed AFTER INSERT OR UPDATE OR DELETE ON stations FOR EACH STATEMENT EXECUTE FUNCTION network_changed();

ALTER TABLE staff
    ADD COLUMN rights      jsonb NOT NULL DEFAULT '{}', -- finer than the role, in the form of core/settings
    ADD COLUMN second      text NOT NULL DEFAULT '', -- the secret of their second factor, after RFC 6238; empty: none
    ADD COLUMN second_step bigint NOT NULL DEFAULT 0; -- of the code used last: none counts twice

-- What the network is made of, as it was and as it is after each change; the last of a part is how it stands.
CREATE TABLE changes (
    id       bigint PRIMARY KEY DEFAULT nextval('ids'),
    at       timestamptz NOT NULL,
    staff_id bigint REFERENCES staff,
    part     text NOT NULL CHECK (part IN ('settings', 'numbers', 'network', 'branch', 'station', 'class', 'choice', 'staff', 'partner')),
    key      text NOT NULL, -- which of them
    was      jsonb, -- null: there was none
    "is"     jsonb, -- null: it was taken away
    takes_back bigint UNIQUE REFERENCES changes,
    CHECK (was IS DISTINCT FROM "is")
);
CREATE INDEX changes_of ON changes (part, key, id DESC);
CREATE INDEX changes_at ON changes (id DESC);
CREATE TRIGGER changes_stay BEFORE UPDATE OR DELETE ON changes FOR EACH ROW EXECUTE FUNCTION never_changed();

-- What closing a branch for good has moved elsewhere, so that it can come back.
CREATE TABLE closing_moves (
    branch_code text NOT NULL REFERENCES branches,
    what        text NOT NULL CHECK (what IN ('item_home', 'item_at', 'patron', 'hold', 'staff')),
    id          bigint NOT NULL,
    PRIMARY KEY (branch_code, what, id)
);

-- +goose Down
DROP TABLE closing_moves, changes, stations, choices, number_rows;
ALTER TABLE staff DROP COLUMN rights, DROP COLUMN second, DROP COLUMN second_step;
ALTER TABLE classes DROP COLUMN from_age, DROP COLUMN to_age, DROP COLUMN next, DROP COLUMN branches, DROP COLUMN staff_only, DROP COLUMN retired;
ALTER TABLE branches DROP COLUMN address, DROP COLUMN phones, DROP COLUMN closed_on, DROP COLUMN follows;
ALTER TABLE items DROP CONSTRAINT items_barcode_form, ADD CONSTRAINT items_barcode_check CHECK (barcode ~ '^3[0-9]{13}$');
ALTER TABLE patrons DROP CONSTRAINT patrons_card_form, ADD CONSTRAINT patrons_card_check CHECK (card ~ '^2[0-9]{13}$');
ALTER TABLE network ADD COLUMN digits text;
UPDATE network SET digits = substr(numbers->'patterns'->0->>'begins', 2, 4);
ALTER TABLE network ALTER COLUMN digits SET NOT NULL, ADD CHECK (digits ~ '^[0-9]{4}$'), DROP COLUMN numbers, DROP COLUMN symbol;
