-- +goose Up
-- What the network tells of whom, and in which words, where that differs from what is usual.
CREATE TABLE plans (
    code text PRIMARY KEY CHECK (code ~ '^[a-z0-9_]{1,40}$'),
    doc  jsonb NOT NULL
);
CREATE TABLE wordings (
    code text PRIMARY KEY CHECK (code ~ '^[a-z0-9_]{1,40}$'),
    doc  jsonb NOT NULL
);

CREATE TRIGGER plans_changed AFTER INSERT OR UPDATE OR DELETE ON plans FOR EACH STATEMENT EXECUTE FUNCTION network_changed();
CREATE TRIGGER wordings_changed AFTER INSERT OR UPDATE OR DELETE ON wordings FOR EACH STATEMENT EXECUTE FUNCTION network_changed();
ALTER TABLE changes DROP CONSTRAINT changes_part_check, ADD CONSTRAINT changes_part_check
    CHECK (part IN ('settings', 'numbers', 'network', 'branch', 'station', 'class', 'choice', 'staff', 'partner', 'run', 'plan', 'wording'));

-- A run of a plan on a day. Its messages are written when it is sent.
ALTER TABLE mailings
    ADD COLUMN plan     text NOT NULL DEFAULT '',
    ADD COLUMN messages int, -- how many people it told, by one way each; kept to compare later ones with
    DROP CONSTRAINT mailings_state_check,
    ADD CONSTRAINT mailings_state_check CHECK (state IN ('trial', 'sending', 'stopped', 'sent', 'dropped')),
    DROP CONSTRAINT mailings_stage_day_key;
UPDATE mailings m SET plan = m.stage, messages = (SELECT count(*) FROM messages s WHERE s.mailing_id = m.id);
-- What was worked out in the old form and not sent comes up again with the next night.
UPDATE mailings SET state = 'dropped' WHERE state = 'trial';
DELETE FROM told USING messages s WHERE told.message_id = s.id AND s.state IN ('trial', 'left_out');
DELETE FROM messages WHERE state IN ('trial', 'left_out');
ALTER TABLE mailings DROP COLUMN stage, ALTER COLUMN plan DROP DEFAULT,
    ADD CONSTRAINT mailings_once UNIQUE (plan, day);
CREATE INDEX mailings_plan ON mailings (plan, day DESC);

-- One thing that somebody is told: of a loan as it is due, a hold as it became ready, or a patron on a day.
CREATE TABLE notices (
    id           bigint PRIMARY KEY DEFAULT nextval('ids'),
    kind         text NOT NULL,
    stage        int NOT NULL DEFAULT 0,
    plan         text NOT NULL,
    mailing_id   bigint REFERENCES mailings,
    patron_id    bigint NOT NULL REFERENCES patrons, -- whom it concerns
    recipient_id bigint NOT NULL REFERENCES patrons, -- who gets it
    channel      text NOT NULL CHECK (channel IN ('', 'mail', 'phone', 'letter')), -- empty: there is none
    branch_code  text NOT NULL REFERENCES branches, -- where it was lent or waits, or the patron's own
    loan_id      bigint REFERENCES loans,
    hold_id      bigint REFERENCES holds,
    due_date     date,
    due_at       timestamptz,
    message_id   bigint REFERENCES messages ON DELETE CASCADE,
    state        text NOT NULL CHECK (state IN ('trial', 'left_out', 'dropped', 'approved', 'told', 'overtaken')),
    reason       text NOT NULL DEFAULT '', -- why it was left out or overtaken
    at           timestamptz NOT NULL,
    CHECK (loan_id IS NULL OR hold_id IS NULL),
    CHECK ((due_date IS NULL) <> (due_at IS NULL)),
    CHECK ((state = 'told') <= (message_id IS NOT NULL)),
    CHECK ((state = 'trial') <= (mailing_id IS NOT NULL))
);
-- Nobody is told the same twice, whatever plans and copies of the program there are.
CREATE UNIQUE INDEX notices_once ON notices (loan_id, hold_id, (CASE WHEN loan_id IS NULL AND hold_id IS NULL THEN patron_id END), kind, stage, due_date, due_at)
    NULLS NOT DISTINCT WHERE state IN ('trial', 'approved', 'told');
CREATE INDEX notices_loan ON notices (loan_id) WHERE loan_id IS NOT NULL;
CREATE INDEX notices_hold ON notices (hold_id) WHERE hold_id IS NOT NULL;
CREATE INDEX notices_message ON notices (message_id) WHERE message_id IS NOT NULL;
CREATE INDEX notices_mailing ON notices (mailing_id, recipient_id, channel, id) WHERE mailing_id IS NOT NULL;
CREATE INDEX notices_unsent ON notices (at) WHERE state IN ('left_out', 'dropped', 'overtaken');
CREATE INDEX notices_patron ON notices (patron_id);
CREATE INDEX notices_recipient ON notices (recipient_id);
INSERT INTO notices (kind, stage, plan, mailing_id, patron_id, recipient_id, channel, branch_code, loan_id, hold_id, due_date, due_at,
        message_id, state, at)
    SELECT CASE WHEN t.stage LIKE 'overdue%' THEN 'overdue' ELSE t.stage END, CASE t.stage WHEN 'overdue_2' THEN 1 ELSE 0 END,
        CASE WHEN t.stage LIKE 'overdue%' THEN 'overdue' ELSE t.stage END, s.mailing_id, s.patron_id, s.patron_id, s.channel,
        coalesce(l.branch_code, h.pickup), t.loan_id, t.hold_id, t.due_date, t.due_at, s.id, 'told', s.at
    FROM told t JOIN messages s ON s.id = t.message_id LEFT JOIN loans l ON l.id = t.loan_id LEFT JOIN holds h ON h.id = t.hold_id;
DROP TABLE told;
ALTER TABLE loans DROP COLUMN told; -- and with it the index that held it
CREATE INDEX loans_due_open ON loans (branch_code, due_date) INCLUDE (lost_at) WHERE returned_at IS NULL AND due_date IS NOT NULL;

-- A message is written when it is queued, and once more when it leaves. What nobody has to be told any more is not sent.
ALTER TABLE messages RENAME COLUMN stage TO kind;
ALTER TABLE messages
    DROP CONSTRAINT messages_mailing_id_patron_id_key,
    DROP CONSTRAINT messages_state_check,
    ADD CONSTRAINT messages_state_check CHECK (state IN ('gathering', 'queued', 'sending', 'sent', 'stopped', 'overtaken', 'unclear', 'refused', 'no_address', 'by_hand'));
UPDATE messages SET kind = 'overdue' WHERE kind LIKE 'overdue_%';
UPDATE messages SET kind = 'receipt' WHERE kind = 'lent';
DROP INDEX messages_stuck;
CREATE INDEX messages_stuck ON messages (at, id) WHERE state IN ('queued', 'sending', 'unclear', 'stopped');
-- What somebody is told within a short time is one message.
CREATE UNIQUE INDEX messages_gathering ON messages (patron_id, channel) WHERE state = 'gathering';
CREATE INDEX messages_mailing ON messages (mailing_id, id) WHERE mailing_id IS NOT NULL;

-- +goose Down
ALTER TABLE changes DISABLE TRIGGER changes_stay;
DELETE FROM changes WHERE part IN ('plan', 'wording');
ALTER TABLE changes ENABLE TRIGGER changes_stay;
ALTER TABLE changes DROP CONSTRAINT changes_part_check, ADD CONSTRAINT changes_part_check
    CHECK (part IN ('settings', 'numbers', 'network', 'branch', 'station', 'class', 'choice', 'staff', 'partner', 'run'));
ALTER TABLE loans ADD COLUMN told boolean NOT NULL DEFAULT false;
DROP INDEX loans_due_open, messages_mailing, messages_gathering;
CREATE INDEX loans_due_open ON loans (branch_code, due_date) INCLUDE (told) WHERE returned_at IS NULL AND due_date IS NOT NULL;
CREATE TABLE told (
    stage      text NOT NULL,
    loan_id    bigint REFERENCES loans,
    hold_id    bigint REFERENCES holds,
    due_date   date,
    due_at     timestamptz,
    message_id bigint NOT NULL REFERENCES messages ON DELETE CASCADE,
    CHECK ((loan_id IS NULL) <> (hold_id IS NULL)),
    CHECK ((due_date IS NULL) <> (due_at IS NULL)),
    UNIQUE NULLS NOT DISTINCT (loan_id, hold_id, stage, due_date, due_at)
);
CREATE INDEX told_message ON told (message_id);
INSERT INTO told (stage, loan_id, hold_id, due_date, due_at, message_id)
    SELECT CASE kind WHEN 'overdue' THEN 'overdue_' || stage + 1 ELSE kind END, loan_id, hold_id, due_date, due_at, message_id
    FROM notices WHERE state = 'told' AND (loan_id IS NOT NULL) <> (hold_id IS NOT NULL);
UPDATE loans l SET told = true FROM told t WHERE t.loan_id = l.id AND t.due_date IS NOT DISTINCT FROM l.due_date
    AND t.due_at IS NOT DISTINCT FROM l.due_at AND t.stage LIKE 'overdue%';
DROP TABLE notices;
-- What waits in a way that the old form does not know, somebody decides.
UPDATE messages SET state = CASE state WHEN 'gathering' THEN 'queued' ELSE 'unclear' END WHERE state IN ('gathering', 'stopped', 'overtaken');
-- Of a run the old form knows one message to each patron: the others stand by themselves.
UPDATE messages m SET mailing_id = NULL WHERE mailing_id IS NOT NULL
    AND EXISTS (SELECT 1 FROM messages o WHERE o.mailing_id = m.mailing_id AND o.patron_id = m.patron_id AND o.id < m.id);
DROP INDEX messages_stuck;
CREATE INDEX messages_stuck ON messages (at, id) WHERE state IN ('queued', 'sending', 'unclear');
ALTER TABLE messages RENAME COLUMN kind TO stage;
ALTER TABLE messages DROP CONSTRAINT messages_state_check,
    ADD CONSTRAINT messages_state_check CHECK (state IN ('trial', 'left_out', 'queued', 'sending', 'sent', 'unclear', 'refused', 'no_address', 'by_hand')),
    ADD CONSTRAINT messages_mailing_id_patron_id_key UNIQUE (mailing_id, patron_id);
UPDATE messages SET stage = 'overdue_1' WHERE stage = 'overdue';
UPDATE messages SET stage = 'lent' WHERE stage = 'receipt';
ALTER TABLE mailings ADD COLUMN stage text;
UPDATE mailings SET stage = CASE plan WHEN 'overdue' THEN 'overdue_1' ELSE plan END,
    state = CASE state WHEN 'sent' THEN 'sent' WHEN 'dropped' THEN 'dropped' WHEN 'trial' THEN 'dropped' ELSE 'sent' END;
ALTER TABLE mailings DROP CONSTRAINT mailings_once, DROP COLUMN plan, DROP COLUMN messages,
    ALTER COLUMN stage SET NOT NULL, ADD CONSTRAINT mailings_stage_day_key UNIQUE (stage, day),
    DROP CONSTRAINT mailings_state_check,
    ADD CONSTRAINT mailings_state_check CHECK (state IN ('trial', 'sent', 'dropped'));
DROP TABLE plans, wordings;
