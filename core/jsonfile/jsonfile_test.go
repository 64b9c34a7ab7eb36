package jsonfile_test

import (
	"errors"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/core/expect"
	"nevrin/core/jsonfile"
)

// What is not JSON is said with its line, before anything is read of it (RFC 8259).
func TestWhatIsNotJSON(t *testing.T) {
	for text, says := range map[string]string{
		"":                     "near line 1",
		"{\n\"a\": 1,\n}":      "near line",
		"[1, 2":                "near line 1",
		"{} {}":                "something follows the end of the value",
		"{\"a\": 01}":          "near line 1",
		"{\"a\": \"\\ud8zz\"}": "near line 1",
	} {
		_, err := jsonfile.Read([]byte(text))
		var all jsonfile.Errors
		require.ErrorAs(t, err, &all, text)
		assert.Equal(t, "$", all[0].Path)
		assert.Contains(t, all[0].Found, says, text)
		assert.Equal(t, "one JSON value", all[0].Expected)
	}
}

// A file is text in UTF-8 (RFC 8259, 8.1), with or without the mark that some programs put before it; another encoding is told of with
// its line instead of being read as something else.
func TestEncodings(t *testing.T) {
	root, err := jsonfile.Read([]byte("\xef\xbb\xbf{\"a\": \"\u00fc\"}"))
	require.NoError(t, err)
	assert.Equal(t, "\u00fc", root.Get("a").Text())
	for text, says := range map[string]string{
		"{\n\"a\": \"\xfc\"}":           "text in another encoding near line 2",
		"\xff\xfe{\x00}\x00":            "text in UTF-16",
		"\xfe\xff\x00{\x00}":            "text in UTF-16",
		"\xef\xbb\xbf{\"a\": \"\x80\"}": "text in another encoding near line 1",
	} {
		_, err := jsonfile.Read([]byte(text))
		assert.ErrorContains(t, err, says+"; expected text in UTF-8")
	}
}

// Every mistake is told with its path, what was found and what would be right, all of them in the order of the file.
func TestMistakesHavePaths(t *testing.T) {
	root, err := jsonfile.Read([]byte(`{"name": 5, "name": "x", "on": "yes", "days": [1, "two", 3.5, -1], "odd key": {"x": null},
		"more": 1}`))
	require.NoError(t, err)
	root.Only("name", "on", "days", "odd key")
	root.Get("name").Text()
	root.Get("on").Bool()
	for _, d := range root.Get("days").List() {
		d.Whole()
	}
	root.Get("odd key").Get("x").Text()
	root.Get("none").Text()
	got := map[string]string{}
	var all jsonfile.Errors
	require.ErrorAs(t, root.Err(), &all)
	for _, e := range all {
		got[e.Path] += e.Found + " | "
		assert.NotEmpty(t, e.Expected, e.Path)
	}
	assert.Equal(t, map[string]string{
		"$.name":         "the key a second time | 5 | ",
		"$.more":         `the unknown key "more" | `,
		"$.on":           `"yes" | `,
		"$.days[1]":      `"two" | `,
		"$.days[2]":      "3.5 | ",
		"$.days[3]":      "-1 | ",
		`$["odd key"].x`: "null | ",
		"$.none":         "nothing | ",
	}, got)
}

// An error that says what is right passes both on; any other says at least what it is.
func TestErrorsOfReaders(t *testing.T) {
	root, err := jsonfile.Read([]byte(`"2026-13-01"`))
	require.NoError(t, err)
	jsonfile.Parsed(root, func(text string) (int, error) {
		return 0, expect.Errorf("a day of the year", "%q is no day", text)
	})
	jsonfile.Parsed(root, func(string) (int, error) { return 0, errors.New("out of order; expected a mechanic") })
	assert.True(t, root.Check(nil))
	assert.EqualError(t, root.Err(), `$: found "2026-13-01" is no day; expected a day of the year`+"\n"+
		"$: found out of order; expected a mechanic; expected another value")
}

// What is nested, long or full of mistakes is refused in a sentence, in time and memory that follow the size of the
// file: a path was written out at every depth.
func TestHostileFiles(t *testing.T) {
	for name, c := range map[string]struct{ text, says string }{
		"nested":        {strings.Repeat("[", 20_000) + strings.Repeat("]", 20_000), "more than 32 levels"},
		"nested keys":   {strings.Repeat(`{"a":`, 20_000) + "1" + strings.Repeat("}", 20_000), "more than 32 levels"},
		"never closed":  {strings.Repeat("[", 1_000_000), "more than 32 levels"},
		"many values":   {"[" + strings.Repeat("0,", 450_000) + "0]", "more than 200000 values"},
		"many keys":     {`{"a":0` + strings.Repeat(`,"a":0`, 150_000) + "}", "the key a second time"},
		"one long text": {`"` + strings.Repeat("x", 900_000) + `"`, ""},
	} {
		t.Run(name, func(t *testing.T) {
			var before, after runtime.MemStats
			runtime.ReadMemStats(&before)
			root, err := jsonfile.Read([]byte(c.text))
			runtime.ReadMemStats(&after)
			if err == nil {
				err = root.Err()
			}
			if c.says == "" {
				assert.NoError(t, err)
			} else {
				require.ErrorContains(t, err, c.says)
				var all jsonfile.Errors
				require.ErrorAs(t, err, &all)
				assert.LessOrEqual(t, len(all), 201)
			}
			assert.Less(t, after.TotalAlloc-before.TotalAlloc, uint64(200*len(c.text)+1<<20), "bytes taken")
		})
	}
}

// A list that is longer than it may be is said to be, and cut.
func TestListsAreBounded(t *testing.T) {
	root, err := jsonfile.Read([]byte("[1,2,3]"))
	require.NoError(t, err)
	assert.Len(t, root.ListUpTo(2), 2)
	assert.EqualError(t, root.Err(), "$: found a list of 3; expected at most 2")
}
