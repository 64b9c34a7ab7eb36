-- +goose Up
-- Trial runs that nobody has sent yet are counted on the first page.
CREATE INDEX mailings_trial ON mailings (id) WHERE state = 'trial';

-- +goose Down
DROP INDEX mailings_trial;
