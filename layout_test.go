package nevrin_test

import (
	"encoding/json"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// allowed says what of ours each part of the house may import. Imports run one way.
var allowed = map[string][]string{
	"cmd":     {"cmd", "server", "app", "core", "store", "formats", "standin", "demo", "web"},
	"server":  {"app", "core", "store", "formats"},
	"app":     {"app", "core", "store", "formats"},
	"store":   {"core", "store"},
	"formats": {"core", "formats"},
	"core":    {"core"},
	"standin": {"formats", "standin"},
	"demo":    {"app", "core", "formats", "store"},
	"web":     {},
	"testkit": {"app", "core", "store"},
	"bench":   {"core", "app", "store", "testkit"},
}

// outside is what the core must not know of: databases, networks, files, clocks of the machine.
var outside = []string{"database/", "net/http", "os", "gorm.io", "github.com/jackc", "math/rand", "log"}

// databases are the parts that may know how things are kept: all SQL stands in the store. The demo is written as one
// copy, and testkit and bench look behind the scenes.
var databases = []string{"store", "demo", "testkit", "bench"}

// asked is what SQL looks like in Go.
var asked = regexp.MustCompile(`(?i)["` + "`" + `]\s*(SELECT .+ FROM|INSERT INTO|UPDATE \w+ SET|DELETE FROM|WITH \w+ AS) `)

// sends is what runs SQL: only the areas of the store use it.
var sends = regexp.MustCompile(`\bstore\.(Ask|AskEach|Do|List|Each|One|Value|Paged|PagedIDs|Questions)\b|` +
	`\b[tT]x\.(ORM|Queue|QueueOne|LockFirst|CopyInto|Exec|Send|Driver|AskTime)\(`)

// No SQL stands outside the store, whatever it is asked through.
func TestSQLStandsInTheStore(t *testing.T) {
	seen := 0
	for _, part := range []string{"app", "server", "cmd", "core", "formats", "standin"} {
		require.NoError(t, filepath.WalkDir(part, func(path string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
				return err
			}
			seen++
			text, err := os.ReadFile(path)
			assert.NotRegexp(t, asked, string(text), path)
			assert.NotRegexp(t, sends, string(text), path)
			return err
		}))
	}
	assert.Greater(t, seen, 80)
}

func TestImportsRunOneWay(t *testing.T) {
	out, err := exec.Command("go", "list", "-json=ImportPath,Imports", "./...").Output()
	require.NoError(t, err)
	dec := json.NewDecoder(strings.NewReader(string(out)))
	seen := 0
	for dec.More() {
		var p struct {
			ImportPath string
			Imports    []string
		}
		require.NoError(t, dec.Decode(&p))
		part, _, _ := strings.Cut(strings.TrimPrefix(p.ImportPath, "nevrin/"), "/")
		if p.ImportPath == "nevrin" {
			continue
		}
		seen++
		may, known := allowed[part]
		require.True(t, known, "%s is no part of the house; say in layout_test.go what it may import", part)
		for _, i := range p.Imports {
			if !slices.Contains(databases, part) {
				assert.False(t, strings.HasPrefix(i, "gorm.io"), "%s knows of the database's library", p.ImportPath)
			}
			if ours, ok := strings.CutPrefix(i, "nevrin/"); ok {
				to, _, _ := strings.Cut(ours, "/")
				assert.Contains(t, may, to, "%s imports %s", p.ImportPath, i)
				if p.ImportPath == "nevrin/store" {
					assert.NotEqual(t, "store", to, "the core of the store knows of an area: %s", i)
				}
			}
			if part == "core" {
				for _, o := range outside {
					assert.False(
						t,
						i == strings.TrimSuffix(o, "/") || strings.HasPrefix(i, strings.TrimSuffix(o, "/")+"/"),
						"%s knows of %s",
						p.ImportPath,
						i,
					)
				}
			}
		}
	}
	assert.Greater(t, seen, 20)
}
