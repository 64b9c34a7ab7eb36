// Command intake measures moving in: 500,000 patrons and 1,000,000 items out of tables, in ratio to a bare COPY of the same files into
// tables without anything. It writes into the demo database that DATABASE_URL names; run it on a throwaway copy. A number after it
// makes so many hundredths of that.
package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"nevrin/app/act"
	"nevrin/app/intake"
	"nevrin/core/ident"
	core "nevrin/core/intake"
	"nevrin/core/role"
	"nevrin/store"
	"nevrin/store/staffdb"
)

func main() {
	size := 100
	if len(os.Args) > 1 {
		if _, err := fmt.Sscan(os.Args[1], &size); err != nil || size < 1 {
			fmt.Fprintf(os.Stderr, "intake: found %q; expected how many hundredths to take in\n", os.Args[1])
			os.Exit(2)
		}
	}
	if err := run(context.Background(), size); err != nil {
		fmt.Fprintln(os.Stderr, "intake:", err)
		os.Exit(1)
	}
}

func run(ctx context.Context, size int) error {
	kept, err := store.Open(os.Getenv("DATABASE_URL"), nil)
	if err != nil {
		return err
	}
	house := &act.House{Store: kept}
	var staff staffdb.Staff
	if err := kept.Gorm().Where("role = 'administrator'").First(&staff).Error; err != nil {
		return err
	}
	who := act.Actor{ID: staff.ID, Name: staff.Name, Role: role.Administrator}
	numbers, err := act.Look(ctx, house, who, func(a *act.Act) (ident.Numbers, error) { return a.Network.Numbers, nil })
	if err != nil {
		return err
	}
	conn, err := pgx.Connect(ctx, os.Getenv("DATABASE_URL"))
	if err != nil {
		return err
	}
	defer func() { _ = conn.Close(ctx) }()
	for _, f := range []struct {
		kind core.Kind
		name string
		make func(io.Writer, ident.Numbers, int)
		n    int
	}{{core.Patrons, "patrons", patrons, 5_000 * size}, {core.Stock, "items", items, 10_000 * size}} {
		file, err := os.CreateTemp("", "intake")
		if err != nil {
			return err
		}
		defer func() { _ = os.Remove(file.Name()) }()
		into := bufio.NewWriter(file)
		f.make(into, numbers, f.n)
		if err := into.Flush(); err != nil {
			return err
		}
		length, err := file.Seek(0, io.SeekEnd)
		if err != nil {
			return err
		}
		bare, err := copied(ctx, conn, io.NewSectionReader(file, 0, length))
		if err != nil {
			return err
		}
		spent, err := taken(ctx, house, who, f.kind, file, length)
		if err != nil {
			return err
		}
		all := time.Duration(0)
		for _, d := range spent {
			all += d
		}
		fmt.Printf("%d %s (%d MB): sent %.0f s, read %.0f s, tried %.0f s, taken %.0f s, the same tried again %.0f s, taken back %.0f s; "+
			"sent to taken %.1f times a bare COPY (%.1f s); at most %s of memory\n", f.n, f.name, length>>20,
			spent[0].Seconds(), spent[1].Seconds(), spent[2].Seconds(), spent[3].Seconds(), spent[4].Seconds(),
			spent[5].Seconds(),
			float64(all-spent[4]-spent[5])/float64(bare), bare.Seconds(), peak())
	}
	return nil
}

// copied copies a file bare.
func copied(ctx context.Context, conn *pgx.Conn, from *io.SectionReader) (time.Duration, error) {
	start := make([]byte, 1000)
	if _, err := from.ReadAt(start, 0); err != nil {
		return 0, err
	}
	head, _, _ := strings.Cut(string(start), "\n")
	columns := strings.ReplaceAll(head, ",", " text, ") + " text"
	if _, err := conn.Exec(ctx, "CREATE TEMP TABLE bare ("+columns+")"); err != nil {
		return 0, err
	}
	begun := time.Now()
	_, err := conn.PgConn().CopyFrom(ctx, from, "COPY bare FROM STDIN WITH (FORMAT csv, HEADER)")
	spent := time.Since(begun)
	if err == nil {
		_, err = conn.Exec(ctx, "DROP TABLE bare")
	}
	return spent, err
}

// taken takes a file in, tries the same once more, and takes it back; it gives how long each step took.
func taken(ctx context.Context, house *act.House, who act.Actor, kind core.Kind, file io.ReaderAt,
	length int64) (spent [6]time.Duration, err error) {
	step := func(k int, work func() error) {
		if err != nil {
			return
		}
		begun := time.Now()
		err = work()
		spent[k] = time.Since(begun)
	}
	var id int64
	do := func(change func(a *act.Act) error) error {
		_, err := act.Do(ctx, house, who, "", nil, func(a *act.Act) (bool, error) { return true, change(a) })
		return err
	}
	see := func(state string) error {
		n, err := act.Look(ctx, house, who, func(a *act.Act) (*intake.Intake, error) { return intake.One(a, id) })
		if err == nil && n.State != state {
			err = errors.New(n.State + ": " + n.Problem)
		}
		return err
	}
	work := func(state string, begin func(a *act.Act) error) func() error {
		return func() error {
			if err := do(begin); err != nil {
				return err
			}
			if err := intake.Run(ctx, house, id); err != nil {
				return err
			}
			return see(state)
		}
	}
	send := func() error {
		return do(func(a *act.Act) error {
			n, err := intake.Begin(a, intake.Beginning{Kind: kind, Source: "Bench", File: "bench.csv", Bytes: length})
			if err == nil {
				id = n.ID
			}
			return err
		})
	}
	parts := func() error {
		part := make([]byte, 600_000)
		for at := int64(0); at < length; {
			n, err := file.ReadAt(part, at)
			if err != nil && !errors.Is(err, io.EOF) {
				return err
			}
			if err := do(func(a *act.Act) error {
				_, err := intake.Send(a, id, intake.Part{Begins: at, Content: part[:n]})
				return err
			}); err != nil {
				return err
			}
			at += int64(n)
		}
		return nil
	}
	try := func(a *act.Act) error {
		n, err := intake.One(a, id)
		if err == nil {
			_, err = intake.Try(a, id, *n.Mapping)
		}
		return err
	}
	step(0, func() error { return errors.Join(send(), parts()) })
	step(1, func() error { return errors.Join(intake.Run(ctx, house, id), see("read")) })
	step(2, work("tried", try))
	step(3, work("taken", func(a *act.Act) error { _, err := intake.Take(a, id); return err }))
	first := id
	if err == nil {
		err = errors.Join(send(), parts(), intake.Run(ctx, house, id))
	}
	step(4, work("tried", try))
	id = first
	step(5, work("undone", func(a *act.Act) error { _, err := intake.Undo(a, id); return err }))
	return spent, err
}

// word makes a made-up word out of a number.
func word(n int) string {
	parts := []string{"bor", "lin", "tas", "vek", "mor", "una", "sil", "dra", "pel", "ost", "kir", "nam", "fey", "gul",
		"hest", "wim"}
	text := ""
	for range 3 {
		text += parts[n%len(parts)]
		n /= len(parts)
	}
	return strings.ToUpper(text[:1]) + text[1:]
}

func patrons(b io.Writer, numbers ident.Numbers, n int) {
	_, _ = io.WriteString(b, "card,legal_name,born,class,branch,email,phone,address,postal_code,town,joined_on,card_until\n")
	for k := range n {
		_, _ = fmt.Fprintf(b, "%s,%s %s,%d-%02d-%02d,adult,HVH,p%d@post.invalid,902 555 %04d,%d Quay,B0T 1A0,%s,2020-01-0%d,2030-01-01\n",
			numbers.Patterns[0].Number(int64(1_000_000+k)), word(k*7919), word(k*104729+3), 1930+k%80, 1+k%12, 1+k%28,
			k,
			k%10000, k%300,
			word(k%40), 1+k%9)
	}
}

func items(b io.Writer, numbers ident.Numbers, n int) {
	_, _ = io.WriteString(b, "label,number,title,author,year,branch,collection,material,call_number,price,added_on\n")
	for k := range n {
		t := k * 2 / 5 // two and a half copies of a title
		_, _ = fmt.Fprintf(b, "%s,t%d,The %s of %s %d,%s %s,%d,HVH,fiction,book,F %s,12.50,2019-03-0%d\n",
			numbers.Patterns[1].Number(int64(1_000_000+k)), t,
			word(t*31), word(t*7907), t, word(t%5000), word(t*13%9000), 1950+t%75, word(t % 5000)[:3], 1+k%9)
	}
}

// peak is the most memory this process has held.
func peak() string {
	data, _ := os.ReadFile("/proc/self/status")
	for line := range strings.Lines(string(data)) {
		if rest, ok := strings.CutPrefix(line, "VmHWM:"); ok {
			return strings.TrimSpace(rest)
		}
	}
	return "an unknown amount"
}
