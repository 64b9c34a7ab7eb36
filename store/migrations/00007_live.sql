-- +goose Up
-- Who listens is told when a session ends, whoever ended it: signed out, expired, or somebody who has left.
-- +goose StatementBegin
CREATE FUNCTION session_ended() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    PERFORM pg_notify('nevrin_sessions', OLD.staff_id::text) WHERE OLD.staff_id IS NOT NULL;
    RETURN NULL;
END $$;
CREATE FUNCTION staff_changed() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    PERFORM pg_notify('nevrin_sessions', OLD.id::text);
    RETURN NULL;
END $$;
-- +goose StatementEnd
CREATE TRIGGER sessions_ended AFTER DELETE ON sessions FOR EACH ROW EXECUTE FUNCTION session_ended();
CREATE TRIGGER staff_changed AFTER UPDATE OF active, role ON staff FOR EACH ROW EXECUTE FUNCTION staff_changed();

-- +goose Down
DROP TRIGGER staff_changed ON staff;
DROP TRIGGER sessions_ended ON sessions;
DROP FUNCTION staff_changed, session_ended;
