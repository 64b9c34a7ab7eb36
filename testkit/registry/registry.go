// Package registry asks libraries of the npm registry, which know nothing of our code, what they make of something.
package registry

import (
	"bytes"
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"testing"

	"github.com/stretchr/testify/require"
)

// Ask runs e2e/outside.mjs with a question and reads its answer, both as JSON. Where the libraries have not been installed, as in a
// checkout in which only "go test" was run, the test is skipped; under CI they must be there.
func Ask(t testing.TB, question, answer any) {
	t.Helper()
	_, here, _, _ := runtime.Caller(0)
	if _, err := os.Stat(filepath.Join(filepath.Dir(here), "..", "..", "e2e", "node_modules")); err != nil {
		require.Empty(t, os.Getenv("CI"), "e2e/node_modules is not there; under CI nothing is skipped")
		t.Skip("e2e/node_modules is not there; scripts/setup.sh test installs it")
	}
	in, err := json.Marshal(question)
	require.NoError(t, err)
	cmd := exec.Command("node", "outside.mjs")
	cmd.Dir = filepath.Join(filepath.Dir(here), "..", "..", "e2e")
	cmd.Stdin = bytes.NewReader(in)
	var problems bytes.Buffer
	cmd.Stderr = &problems
	out, err := cmd.Output()
	require.NoError(t, err, problems.String()+"\nIs e2e/node_modules there? scripts/setup.sh test installs it.")
	require.NoError(t, json.Unmarshal(out, answer))
}
