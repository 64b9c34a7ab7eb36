package main

import (
	"context"
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"nevrin/app/rules"
	"nevrin/core/calendar"
	"nevrin/store"
	"nevrin/store/networkdb"
)

func setUpCommand() *cobra.Command {
	var n rules.Network
	var courier, from string
	cmd := &cobra.Command{
		Use:   "setup RULEBOOK",
		Short: "Make a network in an empty database, from a rulebook file",
		Args:  cobra.ExactArgs(1),
	}
	cmd.Flags().StringVar(&n.Name, "name", "", "name of the network")
	cmd.Flags().StringVar(&n.Digits, "digits", "", "the four digits in every card and item number")
	cmd.Flags().StringVar(&n.Timezone, "timezone", "", "zone of the network, such as America/Halifax")
	cmd.Flags().StringVar(&courier, "courier", "", "a courier file with runs, sort and receive minutes")
	cmd.Flags().StringVar(&from, "from", "", "first day of the first edition of the rules, such as 2026-11-01; today where not given")
	for _, flag := range []string{"name", "digits", "timezone"} {
		_ = cmd.MarkFlagRequired(flag)
	}
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		s, err := fromEnvironment()
		if err != nil {
			return err
		}
		if n.Rulebook, err = os.ReadFile(args[0]); err != nil {
			return err
		}
		if courier != "" {
			if n.Courier, err = os.ReadFile(courier); err != nil {
				return err
			}
		}
		if from != "" {
			if n.From, err = calendar.ParseDate(from); err != nil {
				return fmt.Errorf("--from: %w", err)
			}
		}
		return makeNetwork(cmd.Context(), s, func() (*rules.Prepared, error) { return rules.Prepare(n) })
	}
	return cmd
}

// makeNetwork makes a network in an empty database, and says what it made and how to go on. Where there is a network already that is said
// before anything is asked or read.
func makeNetwork(ctx context.Context, s settings, prepare func() (*rules.Prepared, error)) error {
	db, err := store.Open(s.database, nil)
	if err != nil {
		return err
	}
	defer func() { _ = db.Close() }()
	if err := db.Migrate(ctx); err != nil {
		return err
	}
	if err := networkdb.HasNone(ctx, db); err != nil {
		return err
	}
	p, err := prepare()
	if err != nil {
		return err
	}
	if err := p.Write(ctx, db); err != nil {
		return err
	}
	_, err = fmt.Printf(`Made the network “%s”: %s, %s; amounts in %s, times of %s.
Next:
  1. Add yourself: NEVRIN_PASSWORD='a long password' nevrin administrator add LOGIN --name "Your Name" --branch %s
  2. Start it: nevrin serve
  3. Sign in. Today lists what is still to be set up.
`, p.Name(), counted(p.Book), several(p.Runs(), "courier run"), p.Book.Currency.Code, p.Timezone(), p.Book.Branches[0].Code)
	return err
}
