package main

import (
	"bufio"
	"bytes"
	"context"
	"net"
	"net/url"
	"os"
	"os/exec"
	"strings"
	"testing"
	"time"

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
	setup := []string{"setup", "../../docs/start/rulebook.json", "--name", "Other", "--digits", "1234", "--timezone"}
	says, err = run("", append(setup, "Asia/Kolkata")...)
	require.Error(t, err)
	assert.Contains(t, says, "in which there is no branch of the rulebook")
	says, err = run("", append(flags, "--branch", "OST Ostkai", "--branch", "SUD=Südtor", "--courier", "daily")...)
	require.NoError(t, err, says)
	assert.Contains(t, says, "Made the network “Coast”: 2 branches, 6 rules, 6 examples, 1 courier run; amounts in JPY, times of Asia/Kolkata.")
	assert.Contains(t, says, "nevrin administrator add LOGIN --name \"Your Name\" --branch OST")
	// Before anything is asked: nobody answers questions for nothing.
	for _, again := range [][]string{{"init"}, append(setup, "America/Halifax")} {
		says, err = run("", again...)
		require.Error(t, err)
		assert.Equal(t, "nevrin: there is a network in this database already, “Coast”; another one needs a database of its own\n", says)
	}
	says, err = run("a long password", "administrator", "add", "ada", "--branch", "OST", "--name", "Ada")
	require.NoError(t, err, says)
}

// What stands in the way of a command is said with what to do about it, once.
func TestCommandsSayWhatToDo(t *testing.T) {
	w := testkit.NewWorld(t)
	name := w.Ask("SELECT current_database()")
	right := strings.Replace(os.Getenv("NEVRIN_TEST_DATABASE"), "/nevrin?", "/"+name+"?", 1)
	at, err := url.Parse(right)
	require.NoError(t, err)
	with := func(change func(u *url.URL)) string {
		u := *at
		change(&u)
		return u.String()
	}
	nobody := with(func(u *url.URL) { u.Host = "127.0.0.1:1" })
	role := "without_" + strings.TrimPrefix(name, "test_")
	w.Set("CREATE ROLE " + role + " LOGIN PASSWORD 'x'")
	empty := "empty2_" + strings.TrimPrefix(name, "test_")
	w.Set("CREATE DATABASE " + empty)
	t.Cleanup(func() {
		w.Set("DROP DATABASE " + empty + " WITH (FORCE)")
		w.Set("DROP ROLE " + role)
	})
	taken, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer func() { _ = taken.Close() }()
	for what, c := range map[string]struct {
		env  []string
		args []string
		says string
	}{
		"no database there":    {[]string{"DATABASE_URL=" + nobody}, []string{"migrate"}, "the database at 127.0.0.1:1 cannot be reached: "},
		"another password":     {[]string{"DATABASE_URL=" + with(func(u *url.URL) { u.User = url.UserPassword("nevrin", "y") })}, []string{"migrate"}, "look at user and password in DATABASE_URL"},
		"no such database":     {[]string{"DATABASE_URL=" + with(func(u *url.URL) { u.Path = "/nowhere" })}, []string{"migrate"}, "make one, as in CREATE DATABASE"},
		"without the right":    {[]string{"DATABASE_URL=" + with(func(u *url.URL) { u.User, u.Path = url.UserPassword(role, "x"), "/"+empty })}, []string{"migrate"}, "make it the owner of its database"},
		"no host":              {[]string{"DATABASE_URL=" + right, "NEVRIN_LISTEN=:8080"}, []string{"serve"}, "0.0.0.0:8080 for all that reach it"},
		"a port alone":         {[]string{"DATABASE_URL=" + right, "NEVRIN_LISTEN=8080"}, []string{"serve"}, `NEVRIN_LISTEN: found "8080"; expected host and port`},
		"a port that is taken": {[]string{"DATABASE_URL=" + right, "PORT=", "NEVRIN_LISTEN=" + taken.Addr().String()}, []string{"serve"}, "start with NEVRIN_LISTEN=127.0.0.1:"},
		"inside is taken":      {[]string{"DATABASE_URL=" + right, "NEVRIN_LISTEN=127.0.0.1:0", "NEVRIN_INSIDE=" + taken.Addr().String()}, []string{"serve"}, "start with NEVRIN_INSIDE=127.0.0.1:"},
		"no password":          {[]string{"DATABASE_URL=" + right, "NEVRIN_PASSWORD="}, []string{"administrator", "add", "ada", "--name", "Ada", "--branch", "HVH"}, "NEVRIN_PASSWORD is not set"},
		"no mail server":       {[]string{"DATABASE_URL=" + right, "NEVRIN_LISTEN=127.0.0.1:0", "NEVRIN_SMTP=mail"}, []string{"serve"}, "NEVRIN_SMTP: an address that cannot be read; expected host:port"},
	} {
		ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
		cmd := exec.CommandContext(ctx, os.Args[0], c.args...)
		cmd.Env = append(append(os.Environ(), "NEVRIN_IS_THE_PROGRAM=1"), c.env...)
		out, err := cmd.CombinedOutput()
		cancel()
		require.Error(t, err, what)
		assert.Contains(t, string(out), c.says, what)
		assert.Equal(t, 1, strings.Count(string(out), "nevrin: "), "%s: said once\n%s", what, out)
	}
}
