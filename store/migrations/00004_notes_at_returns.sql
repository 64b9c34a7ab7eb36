-- +goose Up
-- A note on an item met at its return is an ask: it stays, it comes off, or the item goes elsewhere.
ALTER TABLE return_lines
    ADD note        text NOT NULL DEFAULT '',
    ADD note_answer text NOT NULL DEFAULT '' CHECK (note_answer IN ('', 'open', 'stays', 'off', 'repair', 'withdrawn')),
    ADD then_sign   jsonb, -- where the item goes once the note is answered
    ADD CHECK ((note = '') = (note_answer = '')),
    ADD CHECK ((note = '') = (then_sign IS NULL));

-- +goose Down
ALTER TABLE return_lines DROP note, DROP note_answer, DROP then_sign;
