-- +goose Up
-- The boxes in which things go from one branch to another. Numbers are short, since people read them out, and long enough for a
-- window to know a scanner from a hand.
CREATE SEQUENCE tote_ids START 10000;
CREATE TABLE totes (
    id          bigint PRIMARY KEY DEFAULT nextval('tote_ids'),
    from_branch text NOT NULL REFERENCES branches,
    to_branch   text NOT NULL REFERENCES branches,
    state       text NOT NULL DEFAULT 'open' CHECK (state IN ('open', 'closed', 'away', 'here', 'empty', 'lost')),
    opened_at   timestamptz NOT NULL,
    closed_at   timestamptz,
    left_at     timestamptz,
    run_id      text, -- by which it goes on, as far as is known
    run_date    date,
    at_branch   text NOT NULL REFERENCES branches, -- where it was seen last
    seen_at     timestamptz NOT NULL,
    ended_at    timestamptz,
    CHECK (from_branch <> to_branch),
    CHECK ((state IN ('empty', 'lost')) = (ended_at IS NOT NULL)),
    CHECK (state <> 'open' OR closed_at IS NULL),
    CHECK ((run_id IS NULL) = (run_date IS NULL)),
    UNIQUE (id, from_branch, to_branch)
);
-- What is sent from one branch to another goes into the one that is being filled.
CREATE UNIQUE INDEX totes_one_open ON totes (from_branch, to_branch) WHERE state = 'open';
CREATE INDEX totes_from ON totes (from_branch) WHERE ended_at IS NULL;
CREATE INDEX totes_to ON totes (to_branch) WHERE ended_at IS NULL;
CREATE INDEX totes_at ON totes (at_branch) WHERE ended_at IS NULL;
CREATE INDEX totes_past ON totes (ended_at DESC, id DESC) WHERE ended_at IS NOT NULL;

-- What was done with a tote, with how it was before, so that the last step can be taken back.
CREATE TABLE tote_steps (
    id          bigint PRIMARY KEY DEFAULT nextval('ids'),
    tote_id     bigint NOT NULL REFERENCES totes ON DELETE CASCADE,
    step        text NOT NULL CHECK (step IN ('begin', 'close', 'leave', 'pass', 'come', 'unpack', 'finish', 'lose')),
    at          timestamptz NOT NULL,
    staff_id    bigint REFERENCES staff,
    branch_code text NOT NULL REFERENCES branches,
    was         jsonb,
    did         jsonb,
    undone      boolean NOT NULL DEFAULT false
);
CREATE INDEX tote_steps_of ON tote_steps (tote_id, id);

-- What is in a tote goes where the tote goes.
ALTER TABLE transits ADD COLUMN tote_id bigint,
    ADD CONSTRAINT transits_in_tote FOREIGN KEY (tote_id, from_branch, to_branch) REFERENCES totes (id, from_branch, to_branch);
CREATE INDEX transits_tote ON transits (tote_id) WHERE tote_id IS NOT NULL;

-- Nothing goes into a tote that is closed; one that is being filled is not closed meanwhile.
-- +goose StatementBegin
CREATE FUNCTION into_tote() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    PERFORM 1 FROM totes WHERE id = NEW.tote_id AND state = 'open' FOR SHARE;
    IF NOT FOUND THEN
        RAISE check_violation USING MESSAGE = 'tote ' || NEW.tote_id || ' is not open', CONSTRAINT = 'tote_open';
    END IF;
    RETURN NEW;
END $$;
-- What is sent goes into the tote that is being filled for where it goes. One that is closed in this very moment is waited for; then the
-- next one is looked for anew.
CREATE FUNCTION sent_in_tote() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    WHILE EXISTS (SELECT 1 FROM totes WHERE from_branch = NEW.from_branch AND to_branch = NEW.to_branch AND state = 'open') LOOP
        SELECT id INTO NEW.tote_id FROM totes
        WHERE from_branch = NEW.from_branch AND to_branch = NEW.to_branch AND state = 'open' FOR SHARE;
        EXIT WHEN FOUND;
    END LOOP;
    RETURN NEW;
END $$;
-- The last thing that comes out of a tote ends it. A thing that is back in it opens it again.
CREATE FUNCTION out_of_tote() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    PERFORM 1 FROM totes WHERE id = NEW.tote_id FOR NO KEY UPDATE; -- two stations may take the last two things out at once
    IF NEW.ended_at IS NULL THEN
        UPDATE totes SET state = 'here', ended_at = NULL WHERE id = NEW.tote_id AND state = 'empty';
    ELSIF NOT EXISTS (SELECT 1 FROM transits WHERE tote_id = NEW.tote_id AND ended_at IS NULL) THEN
        UPDATE totes SET state = 'empty', ended_at = NEW.ended_at
        WHERE id = NEW.tote_id AND state IN ('closed', 'away', 'here');
    END IF;
    RETURN NULL;
END $$;
-- +goose StatementEnd
CREATE TRIGGER transits_in_tote BEFORE INSERT ON transits FOR EACH ROW
    WHEN (NEW.tote_id IS NULL AND NEW.ended_at IS NULL) EXECUTE FUNCTION sent_in_tote();
CREATE TRIGGER transits_into_tote BEFORE UPDATE OF tote_id ON transits FOR EACH ROW
    WHEN (NEW.tote_id IS NOT NULL) EXECUTE FUNCTION into_tote();
CREATE TRIGGER transits_out_of_tote AFTER UPDATE OF ended_at ON transits FOR EACH ROW
    WHEN (NEW.tote_id IS NOT NULL AND (OLD.ended_at IS NULL) <> (NEW.ended_at IS NULL)) EXECUTE FUNCTION out_of_tote();

-- +goose Down
DROP TRIGGER transits_out_of_tote ON transits;
DROP TRIGGER transits_into_tote ON transits;
DROP TRIGGER transits_in_tote ON transits;
DROP FUNCTION out_of_tote, sent_in_tote, into_tote;
DROP INDEX transits_tote;
ALTER TABLE transits DROP CONSTRAINT transits_in_tote, DROP COLUMN tote_id;
DROP TABLE tote_steps, totes;
DROP SEQUENCE tote_ids;
