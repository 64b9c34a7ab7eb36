package main

import (
	"context"
	"fmt"
	"net"
	"os"
	"path/filepath"
	"runtime/debug"
	"time"

	"github.com/spf13/cobra"

	"nevrin/core/door"
	"nevrin/demo"
	"nevrin/server"
	"nevrin/standin"
	"nevrin/store"
	"nevrin/store/interlibrarydb"
)

func demoCommand() *cobra.Command {
	var folder string
	var only, beside bool
	cmd := &cobra.Command{
		Use:   "demo",
		Short: "Make the demo network if it is not there, and serve it with its stand-ins",
		Args:  cobra.NoArgs,
	}
	cmd.Flags().StringVar(&folder, "folder", ".data", "where the stand-ins keep what they are given")
	cmd.Flags().BoolVar(&only, "only-make", false, "make the network and stop")
	cmd.Flags().BoolVar(&beside, "beside", false,
		"serve a demo that another copy serves already, with its stand-ins")
	cmd.RunE = func(cmd *cobra.Command, _ []string) error {
		s, err := fromEnvironment()
		if err != nil {
			return err
		}
		s.demo = true
		if s.keys, err = demoKey(folder, s.keys); err != nil {
			return err
		}
		ctx, cancel := context.WithCancel(cmd.Context())
		defer cancel()
		if beside { // whose stand-ins are where the other copy has said
			options, err := s.options()
			if err != nil {
				return err
			}
			options.Demo, options.Plain = true, true
			return run(ctx, s, options, nil)
		}
		around, err := surround(ctx, folder)
		if err != nil {
			return err
		}
		if only {
			db, err := store.Open(s.database, nil)
			if err != nil {
				return err
			}
			if err := db.Migrate(ctx); err != nil {
				return err
			}
			return around.prepare(ctx, db, "")
		}
		options, err := s.options()
		if err != nil {
			return err
		}
		options.Demo, options.Plain = true, true
		around.tell(&s, &options)
		return run(ctx, s, options, around.prepare)
	}
	return cmd
}

// demoKey is the key of the demo, kept beside what its stand-ins are given, unless one is set.
func demoKey(folder, set string) (string, error) {
	if set != "" {
		return set, nil
	}
	file := filepath.Join(folder, "key")
	data, err := os.ReadFile(file)
	if err == nil {
		return string(data), nil
	}
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return "", err
	}
	key := door.NewKey()
	return key, os.WriteFile(file, []byte(key), 0o600)
}

// surroundings are the stand-ins of what is around a network. Each has another address at each start.
type surroundings struct {
	libraries *standin.Partners
	pads      *standin.Pads

	smtp, mailbox, outside, records, pad, terminals, phones string

	mail  *standin.Mail
	cards []string // where the terminals take payments
}

// surround starts the stand-ins, which end with the context.
func surround(ctx context.Context, folder string) (*surroundings, error) {
	mail, err := standin.NewMail(filepath.Join(folder, "mail"))
	if err != nil {
		return nil, err
	}
	names := make([]string, len(demo.Equipped))
	for k, e := range demo.Equipped {
		names[k] = e.String()
	}
	terminals, err := standin.NewTerminals(filepath.Join(folder, "terminals"), names...)
	if err != nil {
		return nil, err
	}
	s := &surroundings{libraries: standin.NewPartners(), pads: standin.NewPads()}
	var lines [7]net.Listener
	at := make([]net.Listener, len(names))
	for k := range len(lines) + len(at) {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		if err != nil {
			return nil, err
		}
		if k < len(lines) {
			lines[k] = l
			continue
		}
		at[k-len(lines)] = l
		s.cards = append(s.cards, l.Addr().String())
	}
	address := func(l net.Listener) string { return "http://" + l.Addr().String() + "/" }
	s.smtp, s.mailbox, s.outside = lines[0].Addr().String(), address(lines[1]), address(lines[2])
	s.records, s.pad, s.terminals = address(lines[3]), lines[4].Addr().String(), address(lines[5])
	s.phones, s.mail = address(lines[6]), mail
	go mail.Serve(ctx, lines[0], lines[1])
	go standin.NewPhones().Serve(ctx, lines[6])
	go s.libraries.Serve(ctx, lines[2])
	go standin.NewRecords().Serve(ctx, lines[3])
	go s.pads.Serve(ctx, lines[4])
	go terminals.Serve(ctx, lines[5], at...)
	return s, nil
}

// tell says to the program where its stand-ins are.
func (s *surroundings) tell(of *settings, options *server.Options) {
	of.mail, of.texts, of.reports = s.smtp, s.phones+"messaging/v1", standin.ReportsSecret
	options.Reports, options.Phones = of.reports, s.phones
	options.Mailbox, options.Outside, options.Records, options.Terminals = s.mailbox, s.outside, s.records, s.terminals
}

// prepare makes the network if it is not there, and tells it where its stand-ins are now, and them where it is.
func (s *surroundings) prepare(ctx context.Context, db *store.Store, address string) error {
	begun := time.Now()
	made, err := demo.Make(ctx, db)
	if made {
		fmt.Printf("Demo network made in %.1f s.\n", time.Since(begun).Seconds())
		debug.FreeOSMemory() // making it takes several hundred megabytes, serving it few
	}
	if err != nil {
		return err
	}
	s.libraries.Reach("http://" + address + "/iso18626/")
	s.mail.Reach("http://" + address + "/mail-reports")
	if err := interlibrarydb.PartnersAt(ctx, db, s.outside); err != nil {
		return err
	}
	if err := interlibrarydb.RecordsAt(ctx, db, "Coast Records", s.records+"sru", s.records+"covers/{isbn}.png"); err != nil {
		return err
	}
	for k, e := range demo.Equipped {
		if err := demo.Reached(ctx, db, e, fmt.Sprintf("ws://%s/pads/%s", s.pad, e.Pad), s.cards[k]); err != nil {
			return err
		}
	}
	within, err := demo.Within(ctx, db, demo.Equipped[0].Branch)
	for _, w := range within {
		s.pads.Shelf = append(s.pads.Shelf, standin.Offered{Number: w.Number, Title: w.Title})
	}
	return err
}
