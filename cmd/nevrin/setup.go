package main

import (
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"nevrin/app/rules"
	"nevrin/core/calendar"
	"nevrin/store"
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
		prepared, err := rules.Prepare(n)
		if err != nil {
			return err
		}
		db, err := store.Open(s.database, nil)
		if err != nil {
			return err
		}
		if err := db.Migrate(cmd.Context()); err != nil {
			return err
		}
		return prepared.Write(cmd.Context(), db)
	}
	return cmd
}
