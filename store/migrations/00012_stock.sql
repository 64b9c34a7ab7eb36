-- +goose Up
-- What is known of a title beside what tells it from others. The record is kept as it came, in the form of formats/marc, so that
-- it goes out again whole.
ALTER TABLE titles
    DROP COLUMN words,
    ADD COLUMN numbers   text NOT NULL DEFAULT '', -- further ISBN and ISSN, with blanks between
    ADD COLUMN edition   text NOT NULL DEFAULT '',
    ADD COLUMN publisher text NOT NULL DEFAULT '',
    ADD COLUMN language  text NOT NULL DEFAULT '' CHECK (language ~ '^([a-z]{3})?$'), -- ISO 639-2
    ADD COLUMN series    text NOT NULL DEFAULT '',
    ADD COLUMN subjects  text NOT NULL DEFAULT '', -- with semicolons between
    ADD COLUMN summary   text NOT NULL DEFAULT '',
    ADD COLUMN extent    text NOT NULL DEFAULT '',
    ADD COLUMN record    jsonb CHECK (jsonb_typeof(record) = 'object'),
    ADD COLUMN source    text NOT NULL DEFAULT '', -- where the record came from, and its number there
    ADD COLUMN revision  int NOT NULL DEFAULT 1,
    ADD CONSTRAINT titles_isbn_form CHECK (isbn ~ '^([0-9]{13})?$') NOT VALID;
ALTER TABLE titles ADD COLUMN words text GENERATED ALWAYS AS
    (lower(name || ' ' || author || ' ' || isbn || ' ' || numbers || ' ' || series || ' ' || subjects)) STORED;
CREATE INDEX titles_words ON titles USING gin (words gin_trgm_ops);
CREATE INDEX titles_begin ON titles ((lower(name) COLLATE "C"), id);
CREATE UNIQUE INDEX titles_source ON titles (source) WHERE source <> '';

CREATE TABLE covers (
    title_id bigint PRIMARY KEY REFERENCES titles,
    kind     text NOT NULL CHECK (kind IN ('image/png', 'image/jpeg')),
    picture  bytea NOT NULL CHECK (octet_length(picture) BETWEEN 1 AND 500000)
);

-- Every word that stands in a name or an author, for offering a better one. A word that is there already is not touched, so two
-- who add titles do not wait for each other.
CREATE TABLE title_words (word text PRIMARY KEY CHECK (word <> ''));
CREATE INDEX title_words_like ON title_words USING gin (word gin_trgm_ops);
-- +goose StatementBegin
CREATE FUNCTION titles_say() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    INSERT INTO title_words SELECT DISTINCT w FROM added a, regexp_split_to_table(lower(a.name || ' ' || a.author), '[^[:alnum:]]+') w
        WHERE length(w) BETWEEN 3 AND 40 AND NOT EXISTS (SELECT 1 FROM title_words o WHERE o.word = w) ORDER BY w
        ON CONFLICT DO NOTHING;
    RETURN NULL;
END $$;
-- +goose StatementEnd
CREATE TRIGGER titles_added AFTER INSERT ON titles REFERENCING NEW TABLE AS added FOR EACH STATEMENT EXECUTE FUNCTION titles_say();
CREATE TRIGGER titles_changed AFTER UPDATE ON titles REFERENCING NEW TABLE AS added FOR EACH STATEMENT EXECUTE FUNCTION titles_say();
INSERT INTO title_words SELECT DISTINCT w FROM titles, regexp_split_to_table(lower(name || ' ' || author), '[^[:alnum:]]+') w
    WHERE length(w) BETWEEN 3 AND 40;

ALTER TABLE items
    ADD COLUMN parts       int NOT NULL DEFAULT 1 CHECK (parts BETWEEN 1 AND 999),
    ADD COLUMN parts_say   text NOT NULL DEFAULT '', -- which parts these are
    ADD COLUMN condition   text NOT NULL DEFAULT '',
    ADD COLUMN aside_for   text NOT NULL DEFAULT '' CONSTRAINT items_aside_for CHECK (aside_for IN ('', 'damaged', 'repair', 'rebuy')),
    ADD COLUMN home_until  date, -- it belongs to branch_code for a time, until this day
    ADD COLUMN home_after  text REFERENCES branches, -- and then there
    ADD COLUMN label_waits boolean NOT NULL DEFAULT false, -- its label has yet to be printed
    ADD COLUMN revision    int NOT NULL DEFAULT 1,
    ADD CONSTRAINT items_season CHECK ((home_until IS NULL) = (home_after IS NULL) AND home_after <> branch_code),
    ADD CONSTRAINT items_own_terms CHECK (jsonb_typeof(own_terms) = 'object'),
    ADD CONSTRAINT items_aside_why CHECK (aside_for = '' OR standing = 'aside');
CREATE INDEX items_home ON items (branch_code, collection, id) WHERE standing <> 'withdrawn';
CREATE INDEX items_season_ends ON items (home_until, id) WHERE home_until IS NOT NULL;
CREATE INDEX items_labels ON items (branch_code, id) WHERE label_waits;
CREATE INDEX items_after ON items (home_after) WHERE home_after IS NOT NULL;
CREATE INDEX items_strays ON items (at_branch, id) WHERE at_branch <> branch_code AND standing = 'in_use';
CREATE INDEX items_out_of_use ON items (standing, id) WHERE standing <> 'in_use';

-- Everything on loan, in order of what is due.
CREATE INDEX loans_due_now ON loans (coalesce(due_at, due_date::timestamp AT TIME ZONE 'UTC'), id) WHERE returned_at IS NULL;

-- Who looked where for something that is not found.
CREATE TABLE looks (
    id          bigint PRIMARY KEY DEFAULT nextval('ids'),
    item_id     bigint NOT NULL REFERENCES items,
    at          timestamptz NOT NULL,
    staff_id    bigint REFERENCES staff,
    branch_code text NOT NULL REFERENCES branches,
    place       text NOT NULL CHECK (place <> ''),
    found       boolean NOT NULL
);
CREATE INDEX looks_item ON looks (item_id, id);

-- A shelf walked along with a scanner.
CREATE TABLE inventories (
    id          bigint PRIMARY KEY DEFAULT nextval('ids'),
    branch_code text NOT NULL REFERENCES branches,
    collection  text NOT NULL,
    name        text NOT NULL CHECK (name <> ''),
    opened_at   timestamptz NOT NULL,
    staff_id    bigint REFERENCES staff,
    finished_at timestamptz,
    missing     int NOT NULL DEFAULT 0 -- how many were marked as missing when it was finished
);
CREATE INDEX inventories_branch ON inventories (branch_code, id);
CREATE TABLE inventory_lines (
    id           bigint PRIMARY KEY DEFAULT nextval('ids'),
    inventory_id bigint NOT NULL REFERENCES inventories,
    at           timestamptz NOT NULL,
    text         text NOT NULL,
    item_id      bigint REFERENCES items,
    call_number  text NOT NULL DEFAULT '',
    found        text NOT NULL CHECK (found IN ('in_place', 'out_of_order', 'on_loan', 'elsewhere', 'other_collection', 'held',
        'under_way', 'was_missing', 'out_of_use', 'withdrawn', 'unknown', 'again')),
    undone       boolean NOT NULL DEFAULT false
);
CREATE INDEX inventory_lines_of ON inventory_lines (inventory_id, id);
CREATE UNIQUE INDEX inventory_lines_once ON inventory_lines (inventory_id, item_id) WHERE NOT undone AND found <> 'again';

-- What was done to many items at once joins what was done to many patrons. What each was and became is kept by item.
ALTER TABLE deeds
    ADD COLUMN area text NOT NULL DEFAULT 'people' CHECK (area IN ('people', 'stock')),
    DROP CONSTRAINT deeds_kind_check,
    ADD CONSTRAINT deeds_kind_check CHECK (CASE area WHEN 'people'
        THEN kind IN ('made', 'changed', 'filled', 'left', 'moved_up', 'dissolved', 'consents')
        ELSE kind IN ('changed', 'season_ended', 'not_seen') END);
CREATE INDEX deeds_area ON deeds (area, id);
CREATE TABLE deed_items (
    deed_id bigint NOT NULL REFERENCES deeds,
    item_id bigint NOT NULL REFERENCES items,
    was     jsonb NOT NULL,
    "is"    jsonb NOT NULL,
    PRIMARY KEY (deed_id, item_id)
);
CREATE INDEX deed_items_item ON deed_items (item_id);

-- +goose Down
DROP TABLE deed_items;
DELETE FROM deeds WHERE area = 'stock';
ALTER TABLE deeds DROP COLUMN area, ADD CONSTRAINT deeds_kind_check
    CHECK (kind IN ('made', 'changed', 'filled', 'left', 'moved_up', 'dissolved', 'consents'));
DROP TABLE inventory_lines, inventories, looks;
DROP INDEX loans_due_now;
ALTER TABLE items DROP COLUMN parts, DROP COLUMN parts_say, DROP COLUMN condition, DROP COLUMN aside_for, DROP COLUMN home_until,
    DROP COLUMN home_after, DROP COLUMN label_waits, DROP COLUMN revision,
    DROP CONSTRAINT items_own_terms;
DROP INDEX items_home, items_out_of_use, items_strays;
DROP TRIGGER titles_added ON titles;
DROP TRIGGER titles_changed ON titles;
DROP FUNCTION titles_say;
DROP TABLE title_words, covers;
DROP INDEX titles_source, titles_begin;
ALTER TABLE titles DROP COLUMN words, DROP COLUMN numbers, DROP COLUMN edition, DROP COLUMN publisher, DROP COLUMN language, DROP COLUMN series,
    DROP COLUMN subjects, DROP COLUMN summary, DROP COLUMN extent, DROP COLUMN record, DROP COLUMN source, DROP COLUMN revision,
    DROP CONSTRAINT titles_isbn_form,
    ADD COLUMN words text GENERATED ALWAYS AS (lower(name || ' ' || author || ' ' || isbn)) STORED;
CREATE INDEX titles_words ON titles USING gin (words gin_trgm_ops);
