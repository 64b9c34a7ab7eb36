package store_test

import (
	"os"
	"testing"

	"github.com/pressly/goose/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/testkit"
)

// The latest migration goes down with a day's work in the database, and up again to what was there before.
func TestLatestMigrationGoesDownAndUp(t *testing.T) {
	h := testkit.House(t)
	shape := func() string {
		return testkit.Text(t, h, `SELECT string_agg(what, E'\n' ORDER BY what) FROM (
			SELECT table_name || '.' || column_name || ' ' || data_type || ' ' || is_nullable || ' ' || coalesce(column_default, '') AS what
				FROM information_schema.columns WHERE table_schema = 'public'
			UNION ALL SELECT conrelid::regclass || ' ' || conname || ' ' || pg_get_constraintdef(oid) FROM pg_constraint
				WHERE connamespace = 'public'::regnamespace
			UNION ALL SELECT indexdef FROM pg_indexes WHERE schemaname = 'public'
			UNION ALL SELECT tgrelid::regclass || ' ' || pg_get_triggerdef(oid) FROM pg_trigger WHERE NOT tgisinternal
			UNION ALL SELECT prosrc FROM pg_proc WHERE pronamespace = 'public'::regnamespace) s`)
	}
	pool, err := testkit.SQL(h).DB()
	require.NoError(t, err)
	files, err := goose.NewProvider(goose.DialectPostgres, pool, os.DirFS("migrations"))
	require.NoError(t, err)
	before := shape()
	require.NotEmpty(t, before)
	_, err = files.Down(t.Context())
	require.NoError(t, err)
	assert.NotEqual(t, before, shape())
	_, err = files.Up(t.Context())
	require.NoError(t, err)
	assert.Equal(t, before, shape())
}
