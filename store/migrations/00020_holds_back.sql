-- +goose Up
-- How a hold was before it was last changed or moved by hand, to be taken back.
ALTER TABLE holds ADD COLUMN before jsonb, ADD COLUMN changed_at timestamptz,
    ADD CHECK ((before IS NULL) = (changed_at IS NULL));

-- +goose Down
ALTER TABLE holds DROP COLUMN before, DROP COLUMN changed_at;
