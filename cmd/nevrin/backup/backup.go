// Package backup backs a cluster of PostgreSQL up and restores it, with PostgreSQL's own tools: a base backup now and then, the log in
// between, restored to any minute. It has to run where the database server runs.
//
// A folder of backups has base backups as base-TIME, TIME being when each was begun, in UTC, and parts of the log in wal.
package backup

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/url"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"

	"nevrin/core/expect"
)

// stamp is how the time of a base backup stands in its name.
const stamp = "20060102T150405Z"

// Archive keeps a part of PostgreSQL's log under its name, whole or not at all: it is what archive_command calls. A part that is there
// already stays; if it differs, that is an error.
func Archive(folder, part, name string) error {
	data, err := os.ReadFile(part)
	if err != nil {
		return err
	}
	into := filepath.Join(folder, "wal")
	if err := os.MkdirAll(into, 0o700); err != nil {
		return err
	}
	path := filepath.Join(into, filepath.Base(name))
	if was, err := os.ReadFile(path); err == nil {
		if bytes.Equal(was, data) {
			return nil
		}
		return fmt.Errorf("%s is there already and differs", path)
	}
	f, err := os.OpenFile(path+".part", os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
	if err != nil {
		return err
	}
	_, err = f.Write(data)
	if err := errors.Join(err, f.Sync(), f.Close()); err != nil {
		return err
	}
	if err := os.Rename(path+".part", path); err != nil {
		return err
	}
	dir, err := os.Open(into)
	if err != nil {
		return err
	}
	return errors.Join(dir.Sync(), dir.Close())
}

// Base makes a base backup of the cluster at an address and gives its folder. It has the log of the time that it took, so that it can be
// restored by itself. One that could not be restored is thrown away.
func Base(ctx context.Context, address, folder string) (string, error) {
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return "", err
	}
	plain, password, err := withoutPassword(address)
	if err != nil {
		return "", err
	}
	to := filepath.Join(folder, "base-"+time.Now().UTC().Format(stamp))
	making := to + ".part" // as long as it is not whole, it is no base backup
	cmd, err := tool(ctx, "pg_basebackup", "--dbname="+plain, "--pgdata="+making, "--checkpoint=fast", "--wal-method=stream",
		"--manifest-checksums=SHA256", "--no-password")
	if err != nil {
		return "", err
	}
	if password != "" {
		cmd.Env = append(os.Environ(), "PGPASSWORD="+password)
	}
	if err := told(cmd); err != nil {
		return "", fmt.Errorf("%w\nThe user of the database needs the right REPLICATION, and pg_hba.conf a line for it with \"replication\"; "+
			"docs/guide/operate.md has both", err)
	}
	if err := run(ctx, "pg_verifybackup", "--quiet", making); err != nil {
		return "", errors.Join(fmt.Errorf("the backup could not be restored and was thrown away: %w", err), os.RemoveAll(making))
	}
	return to, os.Rename(making, to)
}

// withoutPassword takes the password out of an address: what a program is started with can be read by everybody on the machine.
func withoutPassword(address string) (plain, password string, err error) {
	u, err := url.Parse(address)
	if err != nil {
		return "", "", err
	}
	if u.User != nil {
		password, _ = u.User.Password()
		u.User = url.User(u.User.Username())
	}
	return u.String(), password, nil
}

// base is a base backup.
type base struct {
	path string
	at   time.Time
}

// bases are the base backups of a folder, the first first.
func bases(folder string) ([]base, error) {
	found, err := filepath.Glob(filepath.Join(folder, "base-*"))
	var out []base
	for _, path := range found {
		if at, err := time.Parse(stamp, strings.TrimPrefix(filepath.Base(path), "base-")); err == nil {
			out = append(out, base{path, at})
		}
	}
	slices.SortFunc(out, func(a, b base) int { return a.at.Compare(b.at) })
	return out, err
}

// latest is the word for as late as there is.
const latest = "latest"

// When reads to what time is restored: by the clock of this machine where no zone is said; nil: as late as there is.
func When(text string) (*time.Time, error) {
	if text == latest {
		return nil, nil
	}
	for _, form := range []string{"2006-01-02 15:04", "2006-01-02 15:04:05", "2006-01-02T15:04", time.RFC3339, "2006-01-02 15:04:05.999999999-07"} {
		if at, err := time.ParseInLocation(form, text, time.Local); err == nil {
			return &at, nil
		}
	}
	return nil, expect.Errorf("a time such as 2026-10-06 14:05, or "+latest, "the time %q", text)
}

// plain is a path that can stand in a setting of PostgreSQL without signs before its signs.
var plain = regexp.MustCompile(`^[^'"%\\\n]+$`)

// Restore makes a new cluster in a folder that is not there yet, as it was at a time, or as late as there is; and starts it on loopback.
// It gives the address of what was at the given address in it.
func Restore(ctx context.Context, address, folder string, at *time.Time, into string) (string, error) {
	folder, err := filepath.Abs(folder)
	if err != nil {
		return "", err
	}
	if into, err = filepath.Abs(into); err != nil {
		return "", err
	}
	if !plain.MatchString(folder) {
		return "", expect.Errorf("a path without quotes, backslashes and percent signs", "the folder %s", folder)
	}
	of, err := baseFor(folder, at)
	if err != nil {
		return "", err
	}
	if _, err := os.Stat(into); err == nil {
		return "", expect.Errorf("a folder that is not there yet", "%s", into)
	}
	if err := os.CopyFS(into, os.DirFS(of)); err != nil {
		return "", errors.Join(fmt.Errorf("copying %s: %w", of, err), os.RemoveAll(into))
	}
	if err := run(ctx, "pg_verifybackup", "--quiet", into); err != nil {
		return "", errors.Join(fmt.Errorf("%s is damaged and cannot be restored; another one is needed: %w", of, err), os.RemoveAll(into))
	}
	if err := prepare(folder, at, into); err != nil {
		return "", err
	}
	return start(ctx, address, at, into)
}

// baseFor is the last base backup that was made before a time.
func baseFor(folder string, at *time.Time) (string, error) {
	all, err := bases(folder)
	if err != nil {
		return "", err
	}
	all = slices.DeleteFunc(all, func(b base) bool { return at != nil && b.at.After(*at) })
	if len(all) == 0 {
		before := ""
		if at != nil {
			before = " from before " + at.Format("2006-01-02 15:04:05")
		}
		return "", fmt.Errorf("there is no base backup%s in %s", before, folder)
	}
	return all[len(all)-1].path, nil
}

// prepare says to a copied base backup how it is recovered. Where its settings stood elsewhere, as Debian keeps them, it gets such as are
// enough to look at it on loopback.
func prepare(folder string, at *time.Time, into string) error {
	for name, usual := range map[string]string{
		"postgresql.conf": "", "pg_ident.conf": "",
		"pg_hba.conf": "host all all 127.0.0.1/32 scram-sha-256\n",
	} {
		path := filepath.Join(into, name)
		if _, err := os.Stat(path); errors.Is(err, os.ErrNotExist) {
			if err := os.WriteFile(path, []byte(usual), 0o600); err != nil {
				return err
			}
		}
	}
	settings := fmt.Sprintf("\nrestore_command = 'cp \"%s/wal/%%f\" \"%%p\"'\nrecovery_target_action = 'promote'\nhot_standby = off\narchive_mode = off\n",
		folder)
	if at != nil {
		settings += "recovery_target_time = '" + at.UTC().Format("2006-01-02 15:04:05.999999+00") + "'\n"
	}
	f, err := os.OpenFile(filepath.Join(into, "postgresql.auto.conf"), os.O_APPEND|os.O_CREATE|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	_, err = f.WriteString(settings)
	signal := os.WriteFile(filepath.Join(into, "recovery.signal"), nil, 0o600)
	gone := os.Remove(filepath.Join(into, "postmaster.pid"))
	if errors.Is(gone, os.ErrNotExist) {
		gone = nil
	}
	return errors.Join(err, f.Close(), signal, gone, os.Chmod(into, 0o700))
}

// start starts a cluster on a free port of loopback and waits until it has recovered.
func start(ctx context.Context, address string, at *time.Time, into string) (string, error) {
	port, err := freePort()
	if err != nil {
		return "", err
	}
	owner, err := lend(into)
	if err != nil {
		return "", err
	}
	log := filepath.Join(into, "restore.log")
	cmd, err := tool(ctx, "pg_ctl", "-D", into, "-w", "-t", "86400", "-l", log, "-o",
		fmt.Sprintf("-p %d -c listen_addresses=127.0.0.1 -c unix_socket_directories=", port), "start")
	if err != nil {
		return "", err
	}
	cmd.SysProcAttr = &syscall.SysProcAttr{Credential: owner}
	cmd.Dir = "/"
	if err := errors.Join(cmd.Run(), recovered(ctx, into, port)); err != nil {
		said, _ := os.ReadFile(log)
		if at != nil && bytes.Contains(said, []byte("recovery ended before configured recovery target")) {
			return "", expect.Errorf("an earlier time, or "+latest+", which restores as far as there is", "no log up to %s",
				at.Format("2006-01-02 15:04:05"))
		}
		return "", fmt.Errorf("the restored cluster did not start: %w\n%s", err, lastLines(said, 5))
	}
	return at127(address, port)
}

// recovered waits until a cluster that was started takes connections, which it does when all of the log is in it.
func recovered(ctx context.Context, into string, port int) error {
	for run(ctx, "pg_isready", "--host=127.0.0.1", "--port="+strconv.Itoa(port)) != nil {
		if _, err := os.Stat(filepath.Join(into, "postmaster.pid")); err != nil {
			return errors.New("it stopped")
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(200 * time.Millisecond):
		}
	}
	return nil
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	return l.Addr().(*net.TCPAddr).Port, l.Close()
}

// lend gives a folder to the user postgres where the program runs as root, as whom PostgreSQL does not run; nil: it runs as who one is.
func lend(folder string) (*syscall.Credential, error) {
	if os.Getuid() != 0 {
		return nil, nil
	}
	u, err := user.Lookup("postgres")
	if err != nil {
		return nil, fmt.Errorf("PostgreSQL does not run as root, so it needs a user postgres: %w", err)
	}
	uid, err := strconv.Atoi(u.Uid)
	if err != nil {
		return nil, err
	}
	gid, err := strconv.Atoi(u.Gid)
	if err != nil {
		return nil, err
	}
	err = filepath.WalkDir(folder, func(path string, _ os.DirEntry, err error) error {
		return cmp.Or(err, os.Lchown(path, uid, gid))
	})
	return &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}, err
}

// at127 is an address of a database, on loopback at another port.
func at127(address string, port int) (string, error) {
	u, err := url.Parse(address)
	if err != nil {
		return "", err
	}
	u.Host = fmt.Sprintf("127.0.0.1:%d", port)
	q := u.Query()
	q.Del("host")
	q.Set("sslmode", "disable")
	u.RawQuery = q.Encode()
	return u.String(), nil
}

// Clear removes base backups from before a time, but for the last, and the parts of the log that only they need. It gives what went.
func Clear(ctx context.Context, folder string, before time.Time) ([]string, error) {
	all, err := bases(folder)
	if err != nil {
		return nil, err
	}
	var gone []string
	for len(all) > 1 && all[0].at.Before(before) {
		if err := os.RemoveAll(all[0].path); err != nil {
			return gone, err
		}
		gone, all = append(gone, all[0].path), all[1:]
	}
	wal := filepath.Join(folder, "wal")
	if _, err := os.Stat(wal); err != nil || len(all) == 0 {
		return gone, nil
	}
	label, err := os.ReadFile(filepath.Join(all[0].path, "backup_label"))
	if err != nil {
		return gone, err
	}
	first := begins.FindSubmatch(label)
	if first == nil {
		return gone, fmt.Errorf("%s does not say with what part of the log it begins", all[0].path)
	}
	return gone, run(ctx, "pg_archivecleanup", wal, string(first[1]))
}

// begins finds in the label of a base backup with what part of the log it begins.
var begins = regexp.MustCompile(`START WAL LOCATION: \S+ \(file ([0-9A-F]{24})\)`)

// tool is a program of PostgreSQL: from the path, or where Debian keeps those of each version, of which the newest is taken.
func tool(ctx context.Context, name string, args ...string) (*exec.Cmd, error) {
	path, err := exec.LookPath(name)
	if err != nil {
		found, _ := filepath.Glob("/usr/lib/postgresql/*/bin/" + name)
		if len(found) == 0 {
			return nil, expect.Errorf("the programs of PostgreSQL on the path, as Debian's package postgresql brings them", "no %s on this machine", name)
		}
		path = slices.MaxFunc(found, func(a, b string) int { return cmp.Compare(version(a), version(b)) })
	}
	return exec.CommandContext(ctx, path, args...), nil
}

// version is that of PostgreSQL in a path of Debian's.
func version(path string) int {
	n, _ := strconv.Atoi(filepath.Base(filepath.Dir(filepath.Dir(path))))
	return n
}

// run runs a program of PostgreSQL.
func run(ctx context.Context, name string, args ...string) error {
	cmd, err := tool(ctx, name, args...)
	if err != nil {
		return err
	}
	return told(cmd)
}

// told runs a program; what it says is the error where it does not work.
func told(cmd *exec.Cmd) error {
	var said bytes.Buffer
	cmd.Stdout, cmd.Stderr = io.Discard, &said
	if err := cmd.Run(); err != nil {
		return fmt.Errorf("%s: %w\n%s", filepath.Base(cmd.Path), err, lastLines(said.Bytes(), 5))
	}
	return nil
}

func lastLines(text []byte, n int) string {
	lines := strings.Split(strings.TrimSpace(string(text)), "\n")
	return strings.Join(lines[max(0, len(lines)-n):], "\n")
}
