package main

import (
	"fmt"
	"os"
	"time"

	"github.com/spf13/cobra"

	"nevrin/cmd/nevrin/backup"
	"nevrin/core/calendar"
	"nevrin/core/expect"
	"nevrin/store"
	"nevrin/store/statusdb"
)

func backupCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "backup",
		Short: "Back the database up, and restore it to any minute, with PostgreSQL's own programs",
	}
	var days int
	dropping := &cobra.Command{
		Use:   "clear FOLDER",
		Short: "Remove base backups older than some days, but for the last, and the log that only they need",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if days < 1 {
				return expect.Errorf("one day at least", "--days %d", days)
			}
			gone, err := backup.Clear(cmd.Context(), args[0], time.Now().AddDate(0, 0, -days))
			for _, path := range gone {
				fmt.Println("Removed", path)
			}
			if err == nil && len(gone) == 0 {
				fmt.Println("Nothing is older than", calendar.Count(days, "day"), "but the last base backup.")
			}
			return err
		},
	}
	dropping.Flags().IntVar(&days, "days", 30, "for how many days base backups are kept")
	cmd.AddCommand(
		&cobra.Command{
			Use:   "archive FOLDER PART NAME",
			Short: "Keep a part of PostgreSQL's log: archive_command = 'nevrin backup archive FOLDER %p %f'",
			Args:  cobra.ExactArgs(3),
			RunE:  func(_ *cobra.Command, args []string) error { return backup.Archive(args[0], args[1], args[2]) },
		},
		&cobra.Command{
			Use:   "base FOLDER",
			Short: "Make a base backup of the cluster at DATABASE_URL, which can be restored by itself",
			Args:  cobra.ExactArgs(1),
			RunE: withDatabase(func(cmd *cobra.Command, args []string, db *store.Store, address string) error {
				begun := time.Now()
				path, err := backup.Base(cmd.Context(), address, args[0])
				if err != nil {
					return err
				}
				fmt.Println(path)
				if err := statusdb.BackedUp(cmd.Context(), db, time.Since(begun)); err != nil {
					return fmt.Errorf("the backup is made, but Network, Status will not tell of it: %w", err)
				}
				keeps, err := statusdb.KeepsArchive(cmd.Context(), db)
				if err == nil && !keeps {
					fmt.Fprintln(os.Stderr, "There is no archive: this backup is restored as it is now, and to no later moment.")
				}
				return err
			}),
		},
		&cobra.Command{
			Use:   "restore FOLDER TIME INTO",
			Short: "Make a new cluster in the folder INTO as it was at TIME, or as late as there is for \"latest\", and start it",
			Args:  cobra.ExactArgs(3),
			RunE: func(cmd *cobra.Command, args []string) error {
				s, err := fromEnvironment() // whose user and database are those of the restored cluster too
				if err != nil {
					return err
				}
				at, err := backup.When(args[1])
				if err != nil {
					return err
				}
				restored, err := backup.Restore(cmd.Context(), s.database, args[0], at, args[2])
				if err != nil {
					return err
				}
				return over(restored, func(db *store.Store) error {
					last, err := statusdb.Recovered(cmd.Context(), db)
					switch {
					case err != nil:
						return err
					case last == nil:
						fmt.Fprintln(os.Stderr, "It is as it was when the base backup was made.")
					default:
						fmt.Fprintln(os.Stderr, "The last change in it is of", last.Local().Format("2006-01-02 15:04:05 MST")+".")
					}
					fmt.Println(restored)
					return nil
				})
			},
		},
		&cobra.Command{
			Use:   "sums",
			Short: "Print sums of the database at DATABASE_URL, to compare what was restored with what was written down",
			Args:  cobra.NoArgs,
			RunE: withDatabase(func(cmd *cobra.Command, _ []string, db *store.Store, _ string) error {
				sums, err := statusdb.Sums(cmd.Context(), db)
				for _, s := range sums {
					fmt.Printf("%s: %d %d\n", s.What, s.Number, s.Total)
				}
				return err
			}),
		},
		dropping,
	)
	return cmd
}

// withDatabase works with the database that the environment names.
func withDatabase(work func(cmd *cobra.Command, args []string, db *store.Store, address string) error) func(*cobra.Command, []string) error {
	return func(cmd *cobra.Command, args []string) error {
		s, err := fromEnvironment()
		if err != nil {
			return err
		}
		return over(s.database, func(db *store.Store) error { return work(cmd, args, db, s.database) })
	}
}

// over works with the database at an address.
func over(address string, work func(db *store.Store) error) error {
	db, err := store.Open(address, nil)
	if err != nil {
		return err
	}
	defer func() { _ = db.Close() }()
	return work(db)
}
