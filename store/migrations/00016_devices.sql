-- +goose Up
-- What stands beside a station: a pad that reads tags, and a terminal that takes cards. Empty: none.
ALTER TABLE stations
    ADD COLUMN pad      text NOT NULL DEFAULT '' CHECK (pad = '' OR pad ~ '^ws://(127\.0\.0\.1|localhost):[0-9]+'),
    ADD COLUMN terminal text NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE stations DROP COLUMN pad, DROP COLUMN terminal;
