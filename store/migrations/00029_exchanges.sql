-- Requests say whether they are for a loan or a copy, and of which part; what was asked for and not answered yet is a renewal, too.

-- +goose Up
ALTER TABLE requests
    ADD COLUMN service  text NOT NULL DEFAULT 'Loan' CHECK (service IN ('Loan', 'Copy', 'CopyOrLoan')),
    ADD COLUMN part     text NOT NULL DEFAULT '' CHECK (length(part) <= 1000), -- of what is asked for: an article, a volume, pages
    ADD COLUMN renewing boolean NOT NULL DEFAULT false; -- we have asked the lender to renew it, and they have not answered yet
CREATE INDEX requests_declined ON requests (moved_at) WHERE role = 'requesting' AND stage = 'refused';
-- How long it takes to send something home to a partner: so many days before their date it is due here.
ALTER TABLE partners ADD COLUMN margin int NOT NULL DEFAULT 4 CHECK (margin BETWEEN 0 AND 30);

-- +goose Down
ALTER TABLE partners DROP COLUMN margin;
DROP INDEX requests_declined;
ALTER TABLE requests DROP COLUMN service, DROP COLUMN part, DROP COLUMN renewing;
