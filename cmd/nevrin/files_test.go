package main

import (
	"bytes"
	"encoding/json"
	"errors"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// nevrin runs the program and gives its exit code and what it printed.
func nevrin(t *testing.T, args ...string) (code int, out, errs string) {
	t.Helper()
	program := filepath.Join("..", "..", "build", "nevrin")
	if _, err := os.Stat(program); err != nil {
		t.Skip("build/nevrin is not there; run 'make test'")
	}
	cmd := exec.Command(program, args...)
	var stdout, stderr bytes.Buffer
	cmd.Stdout, cmd.Stderr = &stdout, &stderr
	err := cmd.Run()
	var exited *exec.ExitError
	if err != nil && !errors.As(err, &exited) {
		require.NoError(t, err)
	}
	return cmd.ProcessState.ExitCode(), stdout.String(), stderr.String()
}

func worked(t *testing.T, name string) string {
	t.Helper()
	data, err := os.ReadFile(filepath.Join("..", "..", "core", "testdata", name))
	require.NoError(t, err)
	return string(data)
}

// written puts a text into a file of its own.
func written(t *testing.T, text string) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), "file.json")
	require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
	return path
}

// The three commands over files end with 0 when all is well, 1 when something differs, 2 when the file is wrong;
// then nothing stands on standard output, and standard error names the place.
func TestExitCodes(t *testing.T) {
	rules, conflict, courier, routing := worked(t, "worked-rules.json"), worked(t, "worked-conflict.json"), worked(t, "worked-courier.json"), worked(t, "worked-routing.json")
	for _, c := range []struct {
		name, text string
		args       []string
		code       int
		says       string // on standard output, or for 2 on standard error
	}{
		{"every example holds", rules, []string{"rulebook", "check"}, 0, "holds"},
		{"a conflict", conflict, []string{"rulebook", "check"}, 1, "Conflict:"},
		{"an expectation altered", strings.Replace(rules, `"due": "2026-10-27"`, `"due": "2026-10-28"`, 1), []string{"rulebook", "check"}, 1, "expected 2026-10-28, came 2026-10-27"},
		{"not JSON", "rules:", []string{"rulebook", "check"}, 2, "$"},
		{"another format", strings.Replace(rules, "nevrin-rulebook/1", "nevrin-rulebook/2", 1), []string{"rulebook", "check"}, 2, "$.format"},
		{"an unknown term", strings.Replace(rules, `"loan_period"`, `"loan_perod"`, 1), []string{"rulebook", "check"}, 2, "$.rules[0].terms.loan_perod"},
		{"a duration of nothing", strings.Replace(rules, `"P21D"`, `"P0D"`, 1), []string{"rulebook", "check"}, 2, "$.rules[0].terms.loan_period"},
		{"an unknown key", strings.Replace(rules, `"currency"`, `"curency"`, 1), []string{"rulebook", "check"}, 2, "curency"},
		{"a ranking of four", strings.Replace(rules, `"rules": [`, `"ranking": ["lending_branch", "home_branch", "collection", "material_class"], "rules": [`, 1), []string{"rulebook", "check"}, 2, "$.ranking"},
		{"arrivals as expected", courier, []string{"courier", "ask"}, 0, "holds"},
		{"an arrival altered", strings.Replace(courier, `"on_shelf": "2026-10-07T12:15`, `"on_shelf": "2026-10-07T12:16`, 1), []string{"courier", "ask"}, 1, "differs"},
		{"a courier file as a rulebook", courier, []string{"rulebook", "check"}, 2, "$"},
		{"an unknown day", strings.Replace(courier, `"mon"`, `"moon"`, 1), []string{"courier", "ask"}, 2, "moon"},
		{"a plan", routing, []string{"routing", "plan"}, 0, "minutes of waiting"},
		{"the other aim", routing, []string{"routing", "plan", "--aim", "first_come"}, 0, "minutes of waiting"},
		{"no such aim", routing, []string{"routing", "plan", "--aim", "best"}, 2, "least_total or first_come"},
	} {
		t.Run(c.name, func(t *testing.T) {
			code, out, errs := nevrin(t, append(c.args, written(t, c.text))...)
			assert.Equal(t, c.code, code, out+errs)
			if c.code == 2 {
				assert.Empty(t, out)
				assert.Contains(t, errs, c.says)
				return
			}
			assert.Contains(t, out, c.says)
		})
	}
	code, out, _ := nevrin(t, "rulebook", "check", filepath.Join(t.TempDir(), "nowhere.json"))
	assert.NotZero(t, code)
	assert.Empty(t, out)
}

// The JSON answers have the shapes that other programs read.
func TestAnswersAsJSON(t *testing.T) {
	_, out, _ := nevrin(t, "rulebook", "check", "--json", written(t, worked(t, "worked-rules.json")))
	var check struct {
		OK        bool
		Conflicts []any
		Examples  []struct {
			Name         string
			Due          string
			UnitsLate    *int `json:"units_late"`
			UnitsCharged *int `json:"units_charged"`
			Fine         *string
			Terms        map[string]struct {
				Value any
				Rule  *string
			}
			Differs map[string]any
		}
	}
	require.NoError(t, json.Unmarshal([]byte(out), &check))
	assert.True(t, check.OK)
	assert.NotNil(t, check.Conflicts, "an empty list, not null")
	for _, e := range check.Examples {
		assert.NotEmpty(t, e.Due, e.Name)
		assert.NotNil(t, e.Differs, e.Name)
		assert.Equal(t, e.UnitsLate == nil, e.Fine == nil, "%s: the three are null together", e.Name)
		assert.Equal(t, e.UnitsLate == nil, e.UnitsCharged == nil, e.Name)
		assert.Contains(t, e.Terms, "latest_due", "%s: every term that enters the sums", e.Name)
		assert.NotContains(t, e.Terms, "membership_length", "%s: others only where a rule names them", e.Name)
	}
	code, out, _ := nevrin(t, "rulebook", "check", "--json", written(t, worked(t, "worked-conflict.json")))
	assert.Equal(t, 1, code)
	var conflict struct {
		OK        bool
		Conflicts []struct {
			Rules     []string
			Term      string
			Situation map[string]string
		}
	}
	require.NoError(t, json.Unmarshal([]byte(out), &conflict))
	assert.False(t, conflict.OK)
	require.Len(t, conflict.Conflicts, 1)
	assert.Len(t, conflict.Conflicts[0].Rules, 2)
	assert.NotEmpty(t, conflict.Conflicts[0].Situation)
}
