package describe_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/describe"
	"nevrin/core/courier"
	"nevrin/core/intake"
	"nevrin/core/rulebook"
)

// reads are the readers themselves, by format.
var reads = map[string]func([]byte) error{
	rulebook.Format: func(data []byte) error { _, err := rulebook.Read(data); return err },
	courier.Format:  func(data []byte) error { _, err := courier.Read(data); return err },
}

func compiled(t *testing.T) map[string]*jsonschema.Schema {
	t.Helper()
	data, err := describe.JSON()
	require.NoError(t, err)
	var all map[string]any
	require.NoError(t, json.Unmarshal(data, &all))
	require.Len(t, all, len(reads)+len(intake.Kinds))
	out := map[string]*jsonschema.Schema{}
	for format, s := range all {
		c := jsonschema.NewCompiler()
		c.AssertFormat()
		require.NoError(t, c.AddResource(format, s))
		if out[format], err = c.Compile(format); err != nil {
			require.NoError(t, err, "no JSON Schema of draft 2020-12: %s", format)
		}
	}
	return out
}

// files are the examples of the page, those to begin with, and the worked examples of the formats.
func files(t *testing.T) map[string][]byte {
	t.Helper()
	out := map[string][]byte{}
	for _, f := range describe.Files() {
		out["example of "+f.Name] = []byte(f.Example)
	}
	for _, pattern := range []string{"../../docs/start/*.json", "../../core/testdata/worked-[rc]*.json"} {
		names, err := filepath.Glob(pattern)
		require.NoError(t, err)
		for _, name := range names {
			if filepath.Base(name) == "worked-routing.json" {
				continue
			}
			data, err := os.ReadFile(name)
			require.NoError(t, err)
			out[name] = data
		}
	}
	require.GreaterOrEqual(t, len(out), 6)
	return out
}

func parsed(t *testing.T, data []byte) any {
	t.Helper()
	v, err := jsonschema.UnmarshalJSON(bytes.NewReader(data))
	require.NoError(t, err)
	return v
}

// What is described is what is read, by a validator of JSON Schema that knows nothing of Nevrin: every file that readers take fits. A key
// that nobody knows and a value of another type are refused by both, wherever they stand; and what is left out is refused by the
// description only where readers refuse it too.
func TestDescriptionsAreWhatIsRead(t *testing.T) {
	schemas := compiled(t)
	tried := 0
	for name, data := range files(t) {
		whole := parsed(t, data).(map[string]any)
		format := whole["format"].(string)
		schema, read := schemas[format], reads[format]
		require.NoError(t, read(data), name)
		require.NoError(t, schema.Validate(whole), name)
		try := func(what string, bothRefuse bool) {
			t.Helper()
			tried++
			altered, err := json.Marshal(whole)
			require.NoError(t, err)
			reader, description := read(altered), schema.Validate(parsed(t, altered))
			if bothRefuse {
				assert.Error(t, reader, "%s: readers take %s", name, what)
				assert.Error(t, description, "%s: the description takes %s", name, what)
			} else if reader == nil {
				assert.NoError(t, description, "%s: readers take %s", name, what)
			}
		}
		var walk func(v any, at string)
		walk = func(v any, at string) {
			switch v := v.(type) {
			case map[string]any:
				if filepath.Base(at) != "late" { // whose keys are dates
					v["shoes"] = "x"
					try(at+"/shoes", true)
					delete(v, "shoes")
				}
				for key, inner := range v {
					v[key] = map[string]any{"shoes": 1}
					try(at+"/"+key+" as an object", true)
					delete(v, key)
					try("no "+at+"/"+key, false)
					v[key] = inner
					walk(inner, at+"/"+key)
				}
			case []any:
				for k, inner := range v {
					walk(inner, fmt.Sprintf("%s/%d", at, k))
				}
			}
		}
		walk(whole, "")
	}
	assert.Greater(t, tried, 500)
}

// A row lacks what its description says that it lacks: taken by both or by neither, whichever of its cells are left out.
func TestRowsThatMoveInAreWhatIsRead(t *testing.T) {
	schemas := compiled(t)
	for _, k := range intake.Kinds {
		var heads []string
		for _, f := range intake.Fields(k) {
			heads = append(heads, f.Name)
		}
		refused := 0
		try := func(heads []string) {
			row := map[string]any{}
			for _, h := range heads {
				row[h] = "x"
			}
			m := intake.Guess(k, heads)
			read, described := m.Check(k, heads), schemas["moving-in/"+string(k)].Validate(row)
			assert.Equal(t, read == nil, described == nil, "%s with %v: %v, %v", k, heads, read, described)
			if read != nil {
				refused++
			}
		}
		try(heads)
		for i, head := range heads {
			try(without(heads, head))
			try(heads[i : i+1])
		}
		for _, one := range intake.OneOf[k] {
			for _, other := range intake.OneOf[k] {
				try(without(without(heads, one), other))
			}
		}
		try(slices.DeleteFunc(slices.Clone(heads), func(h string) bool { return slices.Contains(intake.OneOf[k], h) }))
		assert.Positive(t, refused)
		assert.Error(t, schemas["moving-in/"+string(k)].Validate(map[string]any{"shoes": "x"}))
	}
}

func without(list []string, one string) []string {
	return slices.DeleteFunc(slices.Clone(list), func(s string) bool { return s == one })
}

// Every field that readers know is described: each term, and each field of what moves in.
func TestThePageOfFilesIsCurrent(t *testing.T) {
	const page = "../../docs/guide/files.md"
	if os.Getenv("NEVRIN_WRITE") != "" {
		require.NoError(t, os.WriteFile(page, []byte(describe.Page()), 0o644))
	}
	data, err := os.ReadFile(page)
	require.NoError(t, err)
	assert.Equal(t, string(data), describe.Page(), "NEVRIN_WRITE=1 go test ./app/describe")
	for _, term := range rulebook.All {
		assert.Contains(t, describe.Files()[0].Schema.Properties["rules"].Items.Properties["terms"].Properties, term.ID)
	}
}
