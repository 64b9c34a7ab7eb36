-- What a partner is promised goes by the fetch list: a hold says for which request it is, so that a partner may wait for two copies
-- of a title. What leaves is packed first, and handed over to the courier or the post afterwards.

-- +goose Up
ALTER TABLE holds ADD COLUMN request_id bigint REFERENCES requests;
DROP INDEX holds_once;
CREATE UNIQUE INDEX holds_once ON holds (title_id, patron_id, coalesce(only_volume, ''))
    WHERE state IN ('waiting', 'fetching', 'moving', 'ready') AND request_id IS NULL;
CREATE UNIQUE INDEX holds_request ON holds (request_id) WHERE request_id IS NOT NULL AND closed_at IS NULL;
ALTER TABLE requests
    ADD COLUMN numbers     text NOT NULL DEFAULT '', -- ISBN and ISSN by which it was asked for, with blanks between
    ADD COLUMN year        text NOT NULL DEFAULT '',
    ADD COLUMN edition     text NOT NULL DEFAULT '',
    ADD COLUMN any_edition boolean NOT NULL DEFAULT true,
    ADD COLUMN recalled    boolean NOT NULL DEFAULT false, -- the lender wants it back now
    ADD COLUMN unreturned  boolean NOT NULL DEFAULT false, -- it ended without coming home
    ADD COLUMN reminded_on date,                           -- when we last told a partner that it is overdue
    ADD COLUMN packed_at   timestamptz,                    -- in a parcel that has not been handed over
    ADD COLUMN packed_in   text REFERENCES branches,
    ADD CONSTRAINT requests_packed CHECK ((packed_at IS NULL) = (packed_in IS NULL)
        AND (packed_at IS NULL OR stage = CASE role WHEN 'supplying' THEN 'promised' ELSE 'there' END));
CREATE INDEX requests_packed_in ON requests (packed_in, partner_id) WHERE packed_at IS NOT NULL;
CREATE INDEX requests_stage ON requests (role, stage, moved_at);
CREATE INDEX requests_newest ON requests (moved_at, id);
CREATE INDEX requests_partner ON requests (partner_id, moved_at);
CREATE INDEX requests_words ON requests USING gin (lower(number || ' ' || title || ' ' || author) gin_trgm_ops);
CREATE INDEX events_request ON events (request_id, at DESC, id DESC) WHERE request_id IS NOT NULL;
ALTER TABLE partners
    ADD COLUMN days    int NOT NULL DEFAULT 3 CHECK (days BETWEEN 0 AND 60), -- a parcel is on the way to them
    ADD COLUMN way     text NOT NULL DEFAULT 'post' CHECK (way IN ('post', 'courier')),
    ADD COLUMN address text NOT NULL DEFAULT '' CHECK (length(address) <= 400),
    ADD COLUMN email   text NOT NULL DEFAULT ''; -- where requests go to whose system takes no messages

-- +goose Down
ALTER TABLE partners DROP COLUMN days, DROP COLUMN way, DROP COLUMN address, DROP COLUMN email;
DROP INDEX events_request, requests_words, requests_partner, requests_newest, requests_stage, requests_packed_in;
ALTER TABLE requests DROP CONSTRAINT requests_packed, DROP COLUMN numbers, DROP COLUMN year, DROP COLUMN edition, DROP COLUMN any_edition,
    DROP COLUMN recalled, DROP COLUMN unreturned, DROP COLUMN reminded_on, DROP COLUMN packed_at, DROP COLUMN packed_in;
DROP INDEX holds_request, holds_once;
DELETE FROM holds WHERE request_id IS NOT NULL;
CREATE UNIQUE INDEX holds_once ON holds (title_id, patron_id, coalesce(only_volume, ''))
    WHERE state IN ('waiting', 'fetching', 'moving', 'ready');
ALTER TABLE holds DROP COLUMN request_id;
