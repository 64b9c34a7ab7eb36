package main

import (
	"bufio"
	"bytes"
	"os"
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/begin"
	"nevrin/testkit"
)

// What is missing is asked for, once more where the answer was of no use; nothing for an answer takes what is proposed.
func TestInitAsks(t *testing.T) {
	var said bytes.Buffer
	typed := "Coast\nBerlin\nEurope/Berlin\nyens\njpy\nOST Ostkai, sud=Südtor\n\nweekly\nDaily\n"
	var of begin.Answers
	require.NoError(t, (&asking{bufio.NewReader(strings.NewReader(typed)), &said}).rest(&of))
	assert.Equal(t, begin.Answers{
		Name: "Coast", Timezone: "Europe/Berlin", Currency: "JPY", Hours: begin.Usual, Courier: "daily",
		Branches: []begin.Branch{{Code: "OST", Name: "Ostkai"}, {Code: "SUD", Name: "Südtor"}},
	}, of)
	assert.Contains(t, said.String(), `"weekly"; expected daily or none.`)
	assert.Equal(t, 6+3, strings.Count(said.String(), "> "))

	of = begin.Answers{Name: "Coast", Timezone: "Europe/Berlin"}
	err := (&asking{bufio.NewReader(strings.NewReader("EUR\n")), &said}).rest(&of)
	assert.ErrorContains(t, err, "give everything as flags")
}

// From an empty database to a network in which an administrator is added, by two commands; a second network is refused by name, a file
// that would not work before anything is written.
func TestFromAnEmptyDatabase(t *testing.T) {
	w := testkit.NewWorld(t)
	name := "empty_" + strings.TrimPrefix(w.Ask("SELECT current_database()"), "test_")
	w.Set("CREATE DATABASE " + name)
	t.Cleanup(func() { w.Set("DROP DATABASE " + name + " WITH (FORCE)") })
	run := func(password string, args ...string) (string, error) {
		cmd := exec.Command(os.Args[0], args...)
		cmd.Env = append(os.Environ(), "NEVRIN_IS_THE_PROGRAM=1", "NEVRIN_PASSWORD="+password,
			"DATABASE_URL="+strings.Replace(os.Getenv("NEVRIN_TEST_DATABASE"), "/nevrin?", "/"+name+"?", 1))
		out, err := cmd.CombinedOutput()
		return string(out), err
	}
	says, err := run("a long password", "administrator", "add", "ada", "--branch", "OST", "--name", "Ada")
	require.Error(t, err)
	assert.Contains(t, says, "make one with 'nevrin init' first")

	flags := []string{"init", "--name", "Coast", "--timezone", "Asia/Kolkata", "--currency", "JPY", "--hours", "mon-sun 09:00-21:00"}
	says, err = run("", append(flags, "--branch", "Ostkai")...)
	require.Error(t, err)
	assert.Contains(t, says, `--branch: "Ostkai" for a branch; expected three letters and a name`)
	says, err = run("", append(flags, "--branch", "OST Ostkai", "--branch", "SUD=Südtor", "--courier", "daily")...)
	require.NoError(t, err, says)
	assert.Contains(t, says, "Made the network “Coast”: 2 branches, 6 rules, 6 examples, 1 courier run; amounts in JPY, times of Asia/Kolkata.")
	assert.Contains(t, says, "nevrin administrator add LOGIN --name \"Your Name\" --branch OST")
	says, err = run("", append(flags, "--branch", "OST Ostkai")...)
	require.Error(t, err)
	assert.Contains(t, says, "there is a network in this database already, “Coast”; another one needs a database of its own")
	says, err = run("", "setup", "../../docs/start/rulebook.json", "--name", "Other", "--digits", "1234", "--timezone", "Asia/Kolkata")
	require.Error(t, err)
	assert.Contains(t, says, "in which there is no branch of the rulebook")
	says, err = run("a long password", "administrator", "add", "ada", "--branch", "OST", "--name", "Ada")
	require.NoError(t, err, says)
}
