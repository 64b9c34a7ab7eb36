// Command nevrin serves Nevrin, and answers questions of rules, courier and routing from files.
package main

import (
	"errors"
	"fmt"
	"os"
	_ "time/tzdata" // zones are known on every machine

	"github.com/spf13/cobra"
)

// exit is an error that has been told already and only carries the exit code.
type exit struct{ code int }

func (e exit) Error() string { return fmt.Sprintf("exit %d", e.code) }

func main() {
	root := &cobra.Command{
		Use:           "nevrin",
		Short:         "Circulation for a network of libraries",
		SilenceUsage:  true,
		SilenceErrors: true,
	}
	root.AddCommand(rulebookCommand(), courierCommand(), routingCommand())
	root.AddCommand(serverCommands()...)
	if err := root.Execute(); err != nil {
		var told exit
		if errors.As(err, &told) {
			os.Exit(told.code)
		}
		fmt.Fprintln(os.Stderr, "nevrin:", explain(err))
		os.Exit(2)
	}
}
