-- +goose Up
-- Where the item of a ready hold that came with a file was known to be before: it goes back there when the file is taken back.
ALTER TABLE came_from ADD COLUMN item_at text CHECK (item_at IS NULL OR kind = 'holds');

-- Base backups that were made with nevrin backup, so that Network, Status can tell of the last.
CREATE TABLE backups (
    at      timestamptz PRIMARY KEY DEFAULT clock_timestamp(),
    seconds double precision NOT NULL CHECK (seconds >= 0)
);

-- How long each step of a night took: what its parts took, whatever lay between them.
ALTER TABLE nights ADD COLUMN seconds double precision NOT NULL DEFAULT 0;

-- +goose Down
ALTER TABLE nights DROP COLUMN seconds;
DROP TABLE backups;
ALTER TABLE came_from DROP COLUMN item_at;
