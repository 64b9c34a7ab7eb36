package nevrin_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// former are the words of docs/words.md that are not used any more, as patterns of whole words.
func former(t *testing.T) map[string]*regexp.Regexp {
	t.Helper()
	page, err := os.ReadFile("docs/words.md")
	require.NoError(t, err)
	_, table, found := strings.Cut(string(page), "## Not used any more")
	require.True(t, found)
	out := map[string]*regexp.Regexp{}
	for line := range strings.Lines(table) {
		cells := strings.Split(line, "|")
		if len(cells) < 4 || strings.HasPrefix(cells[1], "-") || strings.TrimSpace(cells[1]) == "not" {
			continue
		}
		word := strings.TrimSpace(cells[1])
		out[word] = regexp.MustCompile(`(?i)\b` + regexp.QuoteMeta(word) + `\b`)
	}
	require.Greater(t, len(out), 30)
	return out
}

// sentence is a text for people: more than one word, or one with a capital letter; SQL, keys and addresses are none.
var sentence = regexp.MustCompile(`^[A-Z].* |[a-z,] [a-z].*[.:?!]$`)

// What the server and the core say to people uses the words of docs/words.md. Documentation of operations is for programmers and stays out.
func TestMessagesUseOurWords(t *testing.T) {
	words, seen := former(t), 0
	for _, part := range []string{"app", "core", "server"} {
		require.NoError(t, filepath.WalkDir(part, func(path string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
				return err
			}
			files := token.NewFileSet()
			f, err := parser.ParseFile(files, path, nil, 0)
			require.NoError(t, err)
			ast.Inspect(f, func(n ast.Node) bool {
				switch n := n.(type) {
				case *ast.CallExpr: // summaries of operations
					if id, ok := n.Fun.(*ast.Ident); ok && part == "server" && (id.Name == "do" || id.Name == "look" || id.Name == "listing") {
						return false
					}
					if s, ok := n.Fun.(*ast.SelectorExpr); ok && (s.Sel.Name == "guarded" || s.Sel.Name == "open") {
						return false
					}
				case *ast.Field:
					return n.Tag == nil
				case *ast.BasicLit:
					text, err := strconv.Unquote(n.Value)
					if n.Kind != token.STRING || err != nil || !sentence.MatchString(text) {
						return true
					}
					seen++
					for word, is := range words {
						assert.NotRegexp(t, is, text, "%s: %q is not used any more (docs/words.md)", files.Position(n.Pos()), word)
					}
				}
				return true
			})
			return nil
		}))
	}
	assert.Greater(t, seen, 1000)
	for _, path := range []string{"server/mine.html", "server/signup.html"} {
		page, err := os.ReadFile(path)
		require.NoError(t, err)
		for word, is := range words {
			assert.NotRegexp(t, is, string(page), "%s: %q is not used any more (docs/words.md)", path, word)
		}
	}
}
