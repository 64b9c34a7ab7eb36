package main

import (
	"bufio"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"
)

func (d *drill) scenarios() {
	d.during("nothing is broken", func() string { time.Sleep(2 * time.Second); return "" })
	d.during("a copy is killed, seven times", func() string {
		for k := range 7 {
			time.Sleep(400 * time.Millisecond)
			d.copies[k%2].kill()
			d.copies[k%2].start()
		}
		return ""
	})
	d.during("PostgreSQL is stopped at once and started", func() string {
		d.ctl("-m", "immediate", "-w", "stop")
		time.Sleep(3 * time.Second)
		d.startAgain()
		return ""
	})
	d.during("PostgreSQL is frozen for 8 s", func() string {
		pids := d.postgres()
		for _, p := range pids {
			_ = syscall.Kill(p, syscall.SIGSTOP)
		}
		time.Sleep(8 * time.Second)
		for _, p := range pids {
			_ = syscall.Kill(p, syscall.SIGCONT)
		}
		return ""
	})
	d.during("300 clients send a letter a second", d.slowClients)
	d.during("the disk of the database is full for 5 s", d.fullDatabase)
	d.during("the clock is set back by a day for 4 s", d.clockBack)
	d.eightySignIns()
	d.hostileFiles()
	d.nights()
	d.fullMailbox()
}

// during breaks something while six stations scan. Every scan counts once, whatever happens, and they go on after it.
func (d *drill) during(what string, breaks func() string) {
	before := d.value("SELECT coalesce(max(id), 0)::text FROM events")
	counted, stop := d.stations(6)
	time.Sleep(time.Second)
	said := breaks()
	begun, at := time.Now(), counted.Load()
	for counted.Load() < at+12 && time.Since(begun) < 40*time.Second {
		time.Sleep(5 * time.Millisecond)
	}
	recovered := time.Since(begun)
	time.Sleep(time.Second)
	all := stop()
	scans, again, wrong, mistake, median, late := sum(all)
	lent := 0
	for _, s := range all {
		lent += s.lent
	}
	events := d.value(`SELECT count(*)::text FROM events e JOIN staff f ON f.id = e.staff_id
		WHERE e.id > $1 AND e.kind = 'lent' AND f.login LIKE 'drill%'`, before)
	came := fmt.Sprintf(
		"%d scans, %d asked again, %d wrong; %d lent, %s events; goes on after %.1f s; median %.0f ms, 99th %.0f ms",
		scans,
		again,
		wrong,
		lent,
		events,
		recovered.Seconds(),
		median.Seconds()*1000,
		late.Seconds()*1000,
	)
	if said != "" {
		came += "; " + said
	}
	if mistake != "" {
		came += "; first: " + mistake
	}
	d.tell(what, came, wrong == 0 && strconv.Itoa(lent) == events && recovered < 40*time.Second && scans > 0)
}

// ctl runs pg_ctl on the cluster, as its owner.
func (d *drill) ctl(args ...string) {
	all := append([]string{filepath.Join(d.pg, "pg_ctl"), "-D", d.data}, args...)
	if os.Getuid() == 0 {
		all = append([]string{"runuser", "-u", "postgres", "--"}, all...)
	}
	out, err := exec.Command(all[0], all[1:]...).CombinedOutput()
	if err != nil {
		check(fmt.Errorf("%v: %w: %s", args, err, out))
	}
}

// startAgain starts the cluster as it was started before.
func (d *drill) startAgain() {
	data, err := os.ReadFile(filepath.Join(d.data, "postmaster.opts"))
	check(err)
	var options []string
	for k, part := range strings.Split(strings.TrimSpace(string(data)), `"`) {
		if k%2 == 1 {
			options = append(options, "'"+part+"'")
		}
	}
	d.ctl("-w", "-l", filepath.Join(d.data, "log"), "-o", strings.Join(options[2:], " "), "start") // after -D and its folder
}

// postgres lists the cluster's processes.
func (d *drill) postgres() []int {
	data, err := os.ReadFile(filepath.Join(d.data, "postmaster.pid"))
	check(err)
	first, _, _ := strings.Cut(string(data), "\n")
	master, err := strconv.Atoi(first)
	check(err)
	out, _ := exec.Command("pgrep", "-P", first).Output()
	pids := []int{master}
	for text := range strings.FieldsSeq(string(out)) {
		if p, err := strconv.Atoi(text); err == nil {
			pids = append(pids, p)
		}
	}
	return pids
}

func (d *drill) slowClients() string {
	address := strings.TrimPrefix(d.copies[0].base, "http://")
	var all sync.WaitGroup
	var mu sync.Mutex
	cut := 0
	for range 300 {
		all.Go(func() {
			line, err := net.Dial("tcp", address)
			if err != nil {
				return
			}
			defer func() { _ = line.Close() }()
			_, _ = fmt.Fprintf(
				line,
				"POST /api/sign-in HTTP/1.1\r\nHost: x\r\nContent-Type: application/json\r\nContent-Length: 100000\r\n\r\n",
			)
			for range 45 {
				if _, err := line.Write([]byte("x")); err != nil {
					break
				}
				_ = line.SetReadDeadline(time.Now().Add(time.Second))
				if _, err := bufio.NewReader(line).ReadByte(); err == nil {
					break
				} else if timeout := (net.Error)(nil); !errors.As(err, &timeout) || !timeout.Timeout() {
					break
				}
				continue
			}
			mu.Lock()
			cut++
			mu.Unlock()
		})
	}
	begun := time.Now()
	all.Wait()
	return fmt.Sprintf("all %d were cut off within %.0f s", cut, time.Since(begun).Seconds())
}

// fill fills a disk to its end; what it gives frees it again.
func fill(disk string) func() {
	path := filepath.Join(disk, "ballast")
	f, err := os.Create(path)
	check(err)
	block := make([]byte, 1<<20)
	for {
		if _, err := f.Write(block); err != nil {
			break
		}
	}
	for len(block) > 1 {
		block = block[:len(block)/2]
		for {
			if _, err := f.Write(block); err != nil {
				break
			}
		}
	}
	_ = f.Close()
	return func() { check(os.Remove(path)) }
}

func (d *drill) fullDatabase() string {
	free := fill(d.disk)
	time.Sleep(5 * time.Second)
	free()
	if exec.Command(filepath.Join(d.pg, "pg_isready"), "-q", "-d", os.Getenv("DATABASE_URL")).Run() != nil {
		time.Sleep(2 * time.Second)
	}
	if exec.Command(filepath.Join(d.pg, "pg_isready"), "-q", "-d", os.Getenv("DATABASE_URL")).Run() != nil {
		d.startAgain()
		return "PostgreSQL had to be started again"
	}
	return ""
}

func (d *drill) clockBack() string {
	d.set("UPDATE training_clock SET shows = shows - interval '1 day'")
	time.Sleep(4 * time.Second)
	d.set("UPDATE training_clock SET shows = shows + interval '1 day'")
	return ""
}

func (d *drill) eightySignIns() {
	peak := d.copies[0].peak()
	rest := kilobytes(d.copies[0].cmd.Process.Pid, "VmRSS") / 1024
	var all sync.WaitGroup
	var mu sync.Mutex
	ended := map[int]int{}
	begun := time.Now()
	for k := range 80 {
		all.Go(func() {
			status, _, err := send(newClient(), http.MethodPost, d.copies[0].base+"/api/sign-in", "x",
				map[string]string{"Login": fmt.Sprintf("nobody%d", k), "Password": "a guess of mine"})
			if err != nil {
				status = 0
			}
			mu.Lock()
			ended[status]++
			mu.Unlock()
		})
	}
	all.Wait()
	more := peak() - rest
	d.tell(
		"80 sign-ins at once",
		fmt.Sprintf(
			"%d MB more at the most, in %.1f s: %d wrong, %d told to wait, %d told to come again",
			more,
			time.Since(begun).Seconds(),
			ended[403],
			ended[429],
			ended[503],
		),
		more < 600 && ended[403]+ended[429]+ended[503] == 80,
	)
	d.set("DELETE FROM wrong_tries")
}

func (d *drill) hostileFiles() {
	boss := newClient()
	status, text, err := send(
		boss,
		http.MethodPost,
		d.copies[0].base+"/api/sign-in/demo",
		"x",
		map[string]string{"Login": "maren"},
	)
	if err != nil || status != http.StatusNoContent {
		check(fmt.Errorf("signing in: %d %s %w", status, text, err))
	}
	version := d.value("SELECT version::text FROM network")
	rules := func(rule func(k int) string, n int) string {
		var b strings.Builder
		b.WriteString(
			`{"format": "nevrin-rulebook/1", "currency": "CAD", "branches": [{"code": "HVH", "timezone": "America/Halifax"}], "rules": [{"id": "base", "scope": {}, "terms": {}}`,
		)
		for k := range n {
			b.WriteString(", " + rule(k))
		}
		return b.String() + "]}"
	}
	many := func(k int) string {
		d := []string{"collection", "material_class", "patron_class"}[k%3]
		return fmt.Sprintf(`{"id": "r%d", "scope": {"%s": ["v%d"]}, "terms": {"loan_period": "P%dD"}}`, k, d, k, 1+k%30)
	}
	alike := func(k int) string {
		return fmt.Sprintf(
			`{"id": "r%d", "scope": {"collection": ["a", "b"]}, "terms": {"loan_period": "P%dD", "fine_unit": "open_hour"}}`,
			k,
			1+k,
		)
	}
	event := "BEGIN:VEVENT\r\nUID:1\r\nDTSTART;VALUE=DATE:19000101\r\nRRULE:FREQ=DAILY\r\nSUMMARY:x\r\nEND:VEVENT\r\n"
	events := "BEGIN:VCALENDAR\r\n" + strings.Repeat(event, 8000) + "END:VCALENDAR\r\n"
	recur := func(rule, from string) map[string]any {
		return map[string]any{"branches": []string{"HVH", "SLM", "THB", "QRW"}, "version": json.Number(version),
			"recur": map[string]any{"from": from, "days": 366, "rule": rule, "name": "x", "says": ""}}
	}
	for _, c := range []struct {
		name, path string
		body       any
	}{
		{"a rulebook of nested lists, 40 kB", "/api/rulebook/file", file(nested(20_000))},
		{"a rulebook of 450,000 values", "/api/rulebook/file", file("[" + strings.Repeat("0,", 449_000) + "0]")},
		{"a rulebook of 100,000 equal keys", "/api/rulebook/file", file(`{"a":0` + strings.Repeat(`,"a":0`, 100_000) + "}")},
		{"600 rules that tell 8,000,000 situations apart", "/api/rulebook/file", file(rules(many, 600))},
		{"450 rules beside the rules of the network", "/api/rulebook/file", file(rules(many, 450))},
		{"2,500 rules that all conflict", "/api/rulebook/file", file(rules(alike, 2500))},
		{"a calendar of 8,000 events", "/api/calendars/file", map[string]string{"text": events}},
		{"a calendar of 20,000 parts left open, 280 kB", "/api/calendars/file", map[string]string{"text": "BEGIN:VCALENDAR\r\n" +
			strings.Repeat("BEGIN:VEVENT\r\n", 20_000)}},
		{"a calendar with 80,000 parameters", "/api/calendars/file", map[string]string{"text": "BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nDTSTART" +
			strings.Repeat(";A=B", 80_000) + ":20261225\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"}},
		{"a closure each day since 1900", "/api/calendars/preview", recur("FREQ=DAILY", "1900-01-01")},
		{"a year's closure each weekend since 1900", "/api/calendars/preview", recur(weekends, "1900-01-06")},
		{"a rule that never comes", "/api/calendars/preview", recur(never, "1900-01-01")},
		{"100 levels of JSON", "/api/desk/scan", json.RawMessage(nested(100))},
		{"a megabyte of nothing", "/api/desk/scan", strings.Repeat(" ", 1<<20)},
	} {
		peak := d.copies[0].peak()
		rest := kilobytes(d.copies[0].cmd.Process.Pid, "VmRSS") / 1024
		begun := time.Now()
		status, text, err := send(boss, http.MethodPost, d.copies[0].base+c.path, fmt.Sprint("hostile ", c.name), c.body)
		took := time.Since(begun)
		var told struct{ Detail string }
		_ = json.Unmarshal(text, &told)
		more := peak() - rest
		d.tell(
			c.name,
			fmt.Sprintf(
				"%d MB more at the most, %.2f s, answered %d: %.90s",
				max(more, 0),
				took.Seconds(),
				status,
				strings.Join(strings.Fields(told.Detail), " "),
			),
			err == nil && status < 500 && more < 900 && took < 15*time.Second,
		)
	}
}

func nested(levels int) string { return strings.Repeat("[", levels) + strings.Repeat("]", levels) }

// Rules of closures: each weekend, and on a day that there is not.
const (
	weekends = "FREQ=WEEKLY;BYDAY=SA,SU"
	never    = "FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30"
)

func file(text string) map[string]any { return map[string]any{"text": text, "take": false} }

func (d *drill) nights() {
	boss := newClient()
	_, _, err := send(boss, http.MethodPost, d.copies[1].base+"/api/sign-in/demo", "x", map[string]string{"Login": "maren"})
	check(err)
	days, killed, longest := 0, 0, time.Duration(0)
	// next begins the next night at one of the copies, and waits until it is done, once meanwhile has been called.
	next := func(meanwhile func()) (done, steps string) {
		days++
		status, text, err := send(
			boss,
			http.MethodPost,
			d.copies[days%2].base+"/api/clock",
			fmt.Sprint("night of the drill ", days),
			map[string]int{"days": 1, "minutes": 0},
		)
		if err != nil || status != http.StatusOK {
			check(fmt.Errorf("moving the clock: %d %s %w", status, text, err))
		}
		begun := time.Now()
		meanwhile()
		steps = d.value("SELECT count(DISTINCT step)::text FROM nights")
		today := d.value("SELECT (shows + (clock_timestamp() - real_at))::date::text FROM training_clock")
		for range 900 { // a copy that finds the other at the nights comes by again within half a minute
			if done = d.value("SELECT count(*)::text FROM nights WHERE day = $1 AND ended_at IS NOT NULL", today); done == steps {
				break
			}
			time.Sleep(100 * time.Millisecond)
		}
		longest = max(longest, time.Since(begun))
		return done, steps
	}
	twice := `SELECT count(*)::text FROM (SELECT 1 FROM notices d WHERE d.state IN ('trial', 'approved', 'told')
		AND (d.loan_id IS NOT NULL OR d.hold_id IS NOT NULL)
		GROUP BY d.kind, d.stage, d.loan_id, d.hold_id, d.due_date, d.due_at HAVING count(*) > 1) x`
	done, steps := "", ""
	for range 3 {
		done, steps = next(func() {})
	}
	d.tell(
		"two copies at night, three nights",
		fmt.Sprintf("%s of %s steps of the last done; %s told twice", done, steps, d.value(twice)),
		done == steps && d.value(twice) == "0",
	)
	whole := 0
	longest = 0
	for night := range 30 {
		done, steps = next(func() { // each copy is killed at some moment of the night, one after the other
			for k := range 2 {
				time.Sleep(time.Duration((night*7+k*11)%30) * 20 * time.Millisecond)
				d.copies[k].kill()
				d.copies[k].start()
				killed++
			}
		})
		if done == steps {
			whole++
		}
	}
	left := d.value("SELECT count(*)::text FROM nights WHERE ended_at IS NULL")
	d.tell(
		"thirty nights, both copies killed in each",
		fmt.Sprintf("%d kills; %d nights done whole, the longest after %.0f s; %s steps open, %s told twice", killed, whole, longest.Seconds(), left, d.value(twice)),
		whole == 30 && left == "0" && d.value(twice) == "0",
	)
}

func (d *drill) fullMailbox() {
	waiting := "SELECT count(*)::text FROM messages WHERE state = 'queued' OR state = 'sending'"
	free := fill(d.mail)
	d.set(`INSERT INTO messages (kind, patron_id, address, subject, body, state, at)
		SELECT 'ready', id, 'drill' || id || '@post.invalid', 'Drill', 'Drill', 'queued', now() FROM patrons ORDER BY id LIMIT 20`)
	d.set(`INSERT INTO river_job (args, kind, max_attempts, queue, state, priority)
		SELECT jsonb_build_object('message', id), 'send_message', 1000, 'default', 'available', 1 FROM messages WHERE subject = 'Drill'`)
	time.Sleep(4 * time.Second)
	stuck := d.value(waiting)
	free()
	left := stuck
	for range 600 {
		if left = d.value(waiting); left == "0" {
			break
		}
		time.Sleep(100 * time.Millisecond)
	}
	unclear := d.value("SELECT count(*)::text FROM messages WHERE subject = 'Drill' AND state = 'unclear'")
	d.tell(
		"the disk of the mail server is full for 4 s",
		fmt.Sprintf("%s of 20 waited; %s wait now, %s are unclear", stuck, left, unclear),
		left == "0",
	)
}
