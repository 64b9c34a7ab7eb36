-- +goose Up
-- What is late for too long counts as lost. A refund gives money back for a charge, which is then corrected.
ALTER TABLE loans ADD lost_at timestamptz, ADD CHECK (lost_at IS NULL OR lost_at > lent_at);
ALTER TABLE items DROP CONSTRAINT items_standing_check, ADD CHECK (standing IN ('in_use', 'missing', 'lost', 'aside', 'withdrawn'));
ALTER TABLE ledger
    ADD about text NOT NULL DEFAULT '' CHECK (about IN ('', 'late', 'lost', 'processing')),
    DROP CONSTRAINT ledger_kind_check,
    DROP CONSTRAINT ledger_check,
    ADD CHECK (kind IN ('charge', 'payment', 'waiver', 'correction', 'refund')),
    ADD CHECK (CASE kind WHEN 'charge' THEN amount > 0 AND settles IS NULL WHEN 'refund' THEN amount > 0 AND settles IS NOT NULL ELSE amount < 0 AND settles IS NOT NULL END);
CREATE INDEX loans_late_open ON loans (due_date) WHERE returned_at IS NULL AND lost_at IS NULL;

-- +goose Down
DROP INDEX loans_late_open;
ALTER TABLE ledger DROP about;
ALTER TABLE loans DROP lost_at;
