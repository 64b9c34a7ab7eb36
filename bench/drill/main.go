// Command drill breaks things on purpose while stations scan: it kills and freezes, fills disks, sets the clock back, floods the
// doors, and afterwards sums the books up. It prints a table, and ends with 1 where something was not as it has to be.
//
// scripts/drill.sh starts it with a cluster of its own on a small disk of its own.
package main

import (
	"database/sql"
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	_ "github.com/jackc/pgx/v5/stdlib"
)

// drill is everything that is broken: two copies of the program, the cluster they share, and the disk it is on.
type drill struct {
	db     *sql.DB
	copies []*program
	pg     string // bin folder of PostgreSQL
	data   string // of the cluster
	disk   string // where it is mounted
	mail   string // disk of the mail folder
	rows   [][]string
	failed bool
}

func main() {
	d := &drill{pg: os.Args[1], data: os.Args[2], disk: os.Args[3], mail: os.Args[4]}
	var err error
	d.db, err = sql.Open("pgx", os.Getenv("DATABASE_URL"))
	check(err)
	for k := range 2 {
		d.copies = append(d.copies, newProgram(k, d.mail))
	}
	d.prepare()
	for _, c := range d.copies {
		c.start()
	}
	d.scenarios()
	d.books()
	for _, c := range d.copies {
		c.kill()
	}
	d.print()
	if d.failed {
		os.Exit(1)
	}
}

func check(err error) {
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

// tell adds a row to the table: what was done, what came of it, and whether that is as it has to be.
func (d *drill) tell(what, came string, right bool) {
	mark := "yes"
	if !right {
		mark, d.failed = "NO", true
	}
	d.rows = append(d.rows, []string{what, came, mark})
	fmt.Printf("%-44s %-96s %s\n", what, came, mark)
}

func (d *drill) print() {
	fmt.Println("\n| what was done | what came of it | as it has to be |\n|---|---|---|")
	for _, r := range d.rows {
		fmt.Println("| " + strings.Join(r, " | ") + " |")
	}
}

// value asks the database for one text, for as long as it takes until it answers.
func (d *drill) value(query string, args ...any) string {
	var out string
	var err error
	for range 300 {
		if err = d.db.QueryRow(query, args...).Scan(&out); err == nil {
			return out
		}
		time.Sleep(100 * time.Millisecond)
	}
	check(fmt.Errorf("%s: %w", query, err))
	return ""
}

func (d *drill) set(query string, args ...any) {
	_, err := d.db.Exec(query, args...)
	check(err)
}

// prepare gives each station a person, a card and things of its own.
func (d *drill) prepare() {
	d.set(`INSERT INTO staff (login, name, role, branch_code, demo)
		SELECT 'drill' || n, 'Drill ' || n, 'desk', 'HVH', true FROM generate_series(0, 15) n ON CONFLICT DO NOTHING`)
}

// program is one copy of Nevrin.
type program struct {
	cmd  *exec.Cmd
	base string
	port int
	args []string
	log  *os.File
}

func newProgram(k int, mail string) *program {
	log, err := os.Create(filepath.Join(mail, "..", fmt.Sprintf("drill-%d.log", k)))
	check(err)
	port := freePort()
	return &program{
		base: fmt.Sprintf("http://127.0.0.1:%d", port), port: port, log: log,
		args: []string{"demo", "--folder", filepath.Join(mail, fmt.Sprint(k))},
	}
}

func (p *program) start() {
	p.cmd = exec.Command("build/nevrin", p.args...)
	p.cmd.Env = append(os.Environ(), fmt.Sprintf("NEVRIN_LISTEN=127.0.0.1:%d", p.port), "NEVRIN_REQUESTS_PER_MINUTE=1000000")
	p.cmd.Stdout, p.cmd.Stderr = p.log, p.log
	check(p.cmd.Start())
	for range 600 {
		answer, err := http.Get(p.base + "/health")
		if err == nil {
			_ = answer.Body.Close()
			if answer.StatusCode == http.StatusOK {
				return
			}
		}
		time.Sleep(50 * time.Millisecond)
	}
	check(fmt.Errorf("%s has not come up", p.base))
}

func (p *program) kill() {
	_ = p.cmd.Process.Kill()
	_ = p.cmd.Wait()
}

// peak begins to measure the most memory that the program holds; calling what it gives tells it, in MB.
func (p *program) peak() func() int {
	again := fmt.Sprintf("/proc/%d/clear_refs", p.cmd.Process.Pid)
	check(os.WriteFile(again, []byte("5"), 0))
	return func() int { return kilobytes(p.cmd.Process.Pid, "VmHWM") / 1024 }
}

func kilobytes(pid int, what string) int {
	status, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", pid))
	check(err)
	var kb int
	for line := range strings.Lines(string(status)) {
		if rest, ok := strings.CutPrefix(line, what+":"); ok {
			_, err := fmt.Sscan(rest, &kb)
			check(err)
		}
	}
	return kb
}
