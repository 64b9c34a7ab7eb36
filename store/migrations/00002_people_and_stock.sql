-- +goose Up
CREATE EXTENSION IF NOT EXISTS pg_trgm;

CREATE TABLE households (
    id   bigint PRIMARY KEY DEFAULT nextval('ids'),
    name text NOT NULL
);

CREATE TABLE patrons (
    id             bigint PRIMARY KEY DEFAULT nextval('ids'),
    card           text NOT NULL UNIQUE CHECK (card ~ '^2[0-9]{13}$'),
    legal_name     text NOT NULL CHECK (legal_name <> ''),
    preferred_name text NOT NULL DEFAULT '',
    shelf_name     text NOT NULL,
    born           date,
    class          text NOT NULL,
    branch_code    text NOT NULL REFERENCES branches,
    household_id   bigint REFERENCES households,
    standing       text NOT NULL DEFAULT 'active' CHECK (standing IN ('active', 'inactive', 'excluded')),
    card_until     date,
    email          text NOT NULL DEFAULT '',
    phone          text NOT NULL DEFAULT '',
    address        text NOT NULL DEFAULT '',
    note           text NOT NULL DEFAULT '',
    older_reader   boolean, -- a guardian's answer; null: never asked
    balance        bigint NOT NULL DEFAULT 0 CHECK (balance >= 0), -- minor units; kept by the ledger's trigger alone
    words          text GENERATED ALWAYS AS (lower(legal_name || ' ' || preferred_name || ' ' || shelf_name || ' ' || card || ' ' || email)) STORED
);
CREATE INDEX patrons_words ON patrons USING gin (words gin_trgm_ops);
CREATE INDEX patrons_order ON patrons (legal_name, id);
CREATE INDEX patrons_household ON patrons (household_id);

CREATE TABLE titles (
    id     bigint PRIMARY KEY DEFAULT nextval('ids'),
    name   text NOT NULL CHECK (name <> ''),
    author text NOT NULL DEFAULT '',
    isbn   text NOT NULL DEFAULT '',
    year   int,
    words  text GENERATED ALWAYS AS (lower(name || ' ' || author || ' ' || isbn)) STORED
);
CREATE INDEX titles_words ON titles USING gin (words gin_trgm_ops);
CREATE INDEX titles_name ON titles (lower(name));
CREATE INDEX titles_order ON titles (name, id); -- a common word finds its first page by walking in order
CREATE INDEX titles_isbn ON titles (isbn) WHERE isbn <> '';

-- Numbers of things lent to us from outside, which carry a label of ours while they are here.
CREATE SEQUENCE lodged_numbers;
CREATE TABLE items (
    id             bigint PRIMARY KEY DEFAULT nextval('ids'),
    barcode        text NOT NULL UNIQUE CHECK (barcode ~ '^3[0-9]{13}$'),
    title_id       bigint NOT NULL REFERENCES titles,
    branch_code    text NOT NULL REFERENCES branches,         -- where it belongs
    at_branch      text NOT NULL REFERENCES branches,         -- where it is, or was last seen
    collection     text NOT NULL,
    material       text NOT NULL,
    call_number    text NOT NULL DEFAULT '',
    price          bigint CHECK (price >= 0),
    note           text NOT NULL DEFAULT '',
    own_terms      jsonb,
    standing       text NOT NULL DEFAULT 'in_use' CONSTRAINT items_standing_check CHECK (standing IN ('in_use', 'missing', 'lost', 'aside', 'withdrawn')),
    added_on       date NOT NULL DEFAULT '2020-01-01'
);
CREATE INDEX items_title ON items (title_id);
CREATE INDEX items_at ON items (at_branch, call_number);
CREATE INDEX items_missing ON items (branch_code) WHERE standing = 'missing';

-- +goose Down
DROP TABLE items, titles, patrons, households;
DROP SEQUENCE lodged_numbers;
