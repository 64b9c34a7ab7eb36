-- +goose Up
-- Text messages are a channel of their own. Email that came back is no way to reach somebody until the address is changed.
ALTER TABLE patrons
    ADD COLUMN email_returned boolean NOT NULL DEFAULT false,
    ADD COLUMN language       text NOT NULL DEFAULT '' CHECK (language ~ '^([a-z]{2})?$'), -- of messages; empty: the network's first
    ADD CONSTRAINT patrons_reached_by_text CHECK (text_number <> '' OR NOT notices @? '$.* ? (@ == "text")');
ALTER TABLE messages
    ADD COLUMN gateway      text NOT NULL DEFAULT '', -- where the text gateway tells what became of it
    ADD COLUMN delivered_at timestamptz,
    ADD COLUMN asked_at     timestamptz, -- real time of the last question to the gateway
    ADD COLUMN stop         text, -- what the link in it says, by which its recipient can opt out
    DROP CONSTRAINT messages_channel_check,
    ADD CONSTRAINT messages_channel_check CHECK (channel IN ('mail', 'text', 'phone', 'letter')),
    DROP CONSTRAINT messages_by_hand,
    ADD CONSTRAINT messages_by_hand CHECK (channel IN ('phone', 'letter') OR state <> 'by_hand'),
    ADD CONSTRAINT messages_delivered CHECK (delivered_at IS NULL OR state = 'sent');
CREATE UNIQUE INDEX messages_stop ON messages (stop) WHERE stop IS NOT NULL;
CREATE INDEX messages_on_the_way ON messages (id) WHERE state = 'sent' AND gateway <> '' AND delivered_at IS NULL;
CREATE INDEX messages_address ON messages (lower(address), id) WHERE channel = 'mail' AND state = 'sent';
-- A trial run can be sent by itself at a time.
ALTER TABLE mailings ADD COLUMN send_at timestamptz, ADD CONSTRAINT mailings_send_at CHECK (send_at IS NULL OR state <> 'dropped');
CREATE INDEX mailings_to_send ON mailings (send_at) WHERE state = 'trial' AND send_at IS NOT NULL;
ALTER TABLE notices DROP CONSTRAINT notices_channel_check,
    ADD CONSTRAINT notices_channel_check CHECK (channel IN ('', 'mail', 'text', 'phone', 'letter'));

-- +goose Down
-- Older forms know no text messages: those that wait are decided by somebody, and who has chosen them is called.
UPDATE messages SET channel = 'phone', state = CASE WHEN state IN ('queued', 'sending', 'gathering', 'stopped') THEN 'by_hand' ELSE state END
    WHERE channel = 'text';
UPDATE notices SET channel = 'phone' WHERE channel = 'text';
DROP INDEX messages_stop, messages_on_the_way, messages_address;
ALTER TABLE mailings DROP COLUMN send_at;
ALTER TABLE notices DROP CONSTRAINT notices_channel_check,
    ADD CONSTRAINT notices_channel_check CHECK (channel IN ('', 'mail', 'phone', 'letter'));
ALTER TABLE messages DROP CONSTRAINT messages_channel_check, DROP CONSTRAINT messages_by_hand, DROP CONSTRAINT messages_delivered,
    DROP COLUMN gateway, DROP COLUMN delivered_at, DROP COLUMN asked_at, DROP COLUMN stop,
    ADD CONSTRAINT messages_channel_check CHECK (channel IN ('mail', 'phone', 'letter')),
    ADD CONSTRAINT messages_by_hand CHECK (channel <> 'mail' OR state <> 'by_hand');
ALTER TABLE patrons DROP CONSTRAINT patrons_reached_by_text;
UPDATE patrons SET notices = (SELECT coalesce(jsonb_object_agg(key, value), '{}') FROM jsonb_each(notices) WHERE value <> '"text"')
    WHERE notices @? '$.* ? (@ == "text")';
ALTER TABLE patrons DROP COLUMN email_returned, DROP COLUMN language;
