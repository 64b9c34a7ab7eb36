-- +goose Up
CREATE INDEX holds_ready ON holds (ready_at) WHERE ready_at IS NOT NULL;

-- +goose Down
DROP INDEX holds_ready;
