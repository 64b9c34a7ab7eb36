-- +goose Up
CREATE TABLE partners (
    id          bigint PRIMARY KEY DEFAULT nextval('ids'),
    symbol      text NOT NULL UNIQUE CHECK (symbol ~ '^[A-Z]{3,8}$'),
    name        text NOT NULL,
    sru_url     text NOT NULL,
    message_url text NOT NULL,
    secret      text NOT NULL UNIQUE CHECK (length(secret) >= 16), -- in the address under which their messages come
    patron_id   bigint NOT NULL REFERENCES patrons
);

CREATE SEQUENCE request_numbers;
CREATE TABLE requests (
    id            bigint PRIMARY KEY DEFAULT nextval('ids'),
    number        text NOT NULL, -- the requesting library's own number
    role          text NOT NULL CHECK (role IN ('requesting', 'supplying')),
    partner_id    bigint NOT NULL REFERENCES partners,
    stage         text NOT NULL CHECK (stage IN ('asked', 'promised', 'shipped', 'there', 'back', 'done', 'refused', 'withdrawn')),
    withdrawing   boolean NOT NULL DEFAULT false, -- withdrawn by the requester, not answered yet
    seen          boolean NOT NULL DEFAULT false, -- a no has been seen and dealt with
    title         text NOT NULL CHECK (title <> ''),
    author        text NOT NULL DEFAULT '',
    isbn          text NOT NULL DEFAULT '',
    record        text NOT NULL DEFAULT '',
    note          text NOT NULL DEFAULT '',
    needed_by     date,
    due           date,
    patron_id     bigint REFERENCES patrons, -- for whom, when we ask; partners never learn it
    pickup        text REFERENCES branches,
    item_id       bigint REFERENCES items,
    loan_id       bigint REFERENCES loans,
    last_note     text NOT NULL DEFAULT '', -- what the other side said last
    begun_at      timestamptz NOT NULL,
    moved_at      timestamptz NOT NULL,
    CONSTRAINT requests_said_once UNIQUE (role, partner_id, number),
    CHECK ((role = 'requesting') = (patron_id IS NOT NULL AND pickup IS NOT NULL))
);
CREATE INDEX requests_open ON requests (moved_at) WHERE stage NOT IN ('done', 'refused', 'withdrawn');
CREATE INDEX requests_item ON requests (item_id);
CREATE INDEX requests_loan ON requests (loan_id);

CREATE TABLE exchanges (
    id         bigint PRIMARY KEY DEFAULT nextval('ids'),
    request_id bigint NOT NULL REFERENCES requests,
    outgoing   boolean NOT NULL,
    kind       text NOT NULL, -- Request, or the status or action
    body       text NOT NULL,
    state      text NOT NULL CHECK (state IN ('queued', 'sent', 'refused', 'received')),
    problem    text NOT NULL DEFAULT '',
    tries      int NOT NULL DEFAULT 0,
    at         timestamptz NOT NULL,
    CHECK (outgoing = (state <> 'received'))
);
CREATE INDEX exchanges_request ON exchanges (request_id, id);

-- +goose Down
DROP TABLE exchanges, requests, partners;
DROP SEQUENCE request_numbers;
