-- Calls: one can be put off until a time, and whoever calls now is seen by the others.

-- +goose Up
ALTER TABLE messages
    ADD COLUMN again_at   timestamptz, -- of a call: when it is to be tried again
    ADD COLUMN caller_id  bigint REFERENCES staff ON DELETE SET NULL,
    ADD COLUMN calling_at timestamptz, -- since when somebody has been calling
    ADD CONSTRAINT messages_calls CHECK (channel = 'phone' OR again_at IS NULL AND caller_id IS NULL AND calling_at IS NULL),
    ADD CONSTRAINT messages_caller CHECK (caller_id IS NULL OR calling_at IS NOT NULL);
CREATE INDEX messages_caller ON messages (caller_id) WHERE caller_id IS NOT NULL;
CREATE INDEX messages_calls ON messages (coalesce(again_at, at), id) WHERE state = 'by_hand' AND channel = 'phone';

-- +goose Down
DROP INDEX messages_caller, messages_calls;
ALTER TABLE messages DROP COLUMN again_at, DROP COLUMN caller_id, DROP COLUMN calling_at;
