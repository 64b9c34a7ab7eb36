package main

import (
	"encoding/json"
	"fmt"
	"io"
	"os"

	"github.com/jinzhu/inflection"
	"github.com/spf13/cobra"

	"nevrin/core/courier"
	"nevrin/core/routing"
	"nevrin/core/rulebook"
	"nevrin/core/why"
)

// fileCommand is a command over one file: 0 all is well, 1 something differs, 2 the file is wrong.
func fileCommand(use, short string, run func(data []byte, asJSON bool) (ok bool, err error)) *cobra.Command {
	cmd := &cobra.Command{Use: use + " FILE", Short: short, Args: cobra.ExactArgs(1)}
	asJSON := cmd.Flags().Bool("json", false, "print the answer as JSON")
	cmd.RunE = func(_ *cobra.Command, args []string) error {
		data, err := os.ReadFile(args[0])
		if err != nil {
			return fmt.Errorf("cannot read the file: %w", err)
		}
		ok, err := run(data, *asJSON)
		if err != nil {
			fmt.Fprintln(os.Stderr, err)
			return exit{2}
		}
		if !ok {
			return exit{1}
		}
		return nil
	}
	return cmd
}

func printJSON(v any) error {
	enc := json.NewEncoder(os.Stdout)
	enc.SetIndent("", "  ")
	enc.SetEscapeHTML(false)
	return enc.Encode(v)
}

func printSteps(w io.Writer, steps []why.Step, indent string) {
	for _, s := range steps {
		_, _ = fmt.Fprintln(w, indent+s.Text+pick(s.Detail != "", " ("+s.Detail+")", ""))
		printSteps(w, s.Steps, indent+"  ")
	}
}

func pick(yes bool, a, b string) string {
	if yes {
		return a
	}
	return b
}

// counted is what a rulebook has: "3 branches, 4 rules, no examples".
func counted(b *rulebook.Rulebook) string {
	return several(len(b.Branches), "branch") + ", " + several(len(b.Rules), "rule") + ", " + several(len(b.Examples), "example")
}

// several is a number of things as people say it: "no rules", "1 rule", "2 branches".
func several(n int, what string) string {
	switch n {
	case 0:
		return "no " + inflection.Plural(what)
	case 1:
		return "1 " + what
	}
	return fmt.Sprintf("%d %s", n, inflection.Plural(what))
}

func rulebookCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "rulebook", Short: "Work with rulebook files"}
	cmd.AddCommand(
		fileCommand(
			"check",
			"Compute every example of a rulebook file and find conflicts",
			func(data []byte, asJSON bool) (bool, error) {
				book, err := rulebook.Read(data)
				if err != nil {
					return false, err
				}
				r := book.Check()
				if asJSON {
					return r.OK, printJSON(r)
				}
				for _, c := range r.Conflicts {
					fmt.Printf(
						"Conflict: %s and %s settle %s differently, for example for %v\n",
						c.Rules[0],
						c.Rules[1],
						c.Term,
						c.Situation,
					)
				}
				for _, w := range append(r.Warnings, book.Traps(nil)...) {
					fmt.Println("Warning:", w.Text)
				}
				for _, e := range r.Examples {
					fmt.Println(pick(e.OK, "holds  ", "differs"), e.Name+": "+e.Why.Result)
					for key, d := range e.Differs {
						fmt.Printf("        %s: expected %v, came %v\n", key, d.Expected, d.Came)
					}
					if !e.OK {
						printSteps(os.Stdout, e.Why.Steps, "          ")
					}
				}
				fmt.Println(counted(book) + "; " + pick(len(r.Conflicts) == 0, "no conflicts", several(len(r.Conflicts), "conflict")) + ".")
				if unfit := book.Unfit(); len(unfit) > 0 {
					fmt.Println("'nevrin setup' makes no network of it yet:")
					for _, says := range unfit {
						fmt.Println("  " + says)
					}
				}
				return r.OK, nil
			},
		),
	)
	cmd.AddCommand(
		&cobra.Command{
			Use:   "terms",
			Short: "List every term of the file format, as Markdown",
			Args:  cobra.NoArgs,
			Run:   func(*cobra.Command, []string) { fmt.Print(rulebook.Handbook()) },
		},
	)
	return cmd
}

func courierCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "courier", Short: "Work with courier files"}
	cmd.AddCommand(
		fileCommand("ask", "Answer every question of a courier file", func(data []byte, asJSON bool) (bool, error) {
			f, err := courier.Read(data)
			if err != nil {
				return false, err
			}
			r := f.Answer()
			if asJSON {
				return r.OK, printJSON(r)
			}
			say := func(at *string) string {
				if at == nil {
					return "never"
				}
				return *at
			}
			for _, a := range r.Asks {
				fmt.Printf(
					"%s %s to %s, ready %s: arrives %s, on the shelf %s\n",
					pick(a.OK, "holds  ", "differs"),
					a.From,
					a.To,
					a.Ready,
					say(a.Arrives),
					say(a.OnShelf),
				)
				for _, leg := range a.Legs {
					fmt.Printf("          %s: %s %s, %s %s\n", leg.Run, leg.From, leg.Depart, leg.To, leg.Arrive)
				}
				for key, d := range a.Differs {
					fmt.Printf("        %s: expected %s, came %s\n", key, say(d.Expected), say(d.Came))
				}
			}
			return r.OK, nil
		}),
	)
	return cmd
}

func routingCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "routing", Short: "Work with routing files"}
	var aim string
	plan := fileCommand("plan", "Plan which item serves which hold", func(data []byte, asJSON bool) (bool, error) {
		f, err := routing.Read(data)
		if err != nil {
			return false, err
		}
		switch routing.Aim(aim) {
		case "":
			aim = string(f.Aim)
		case routing.LeastTotal, routing.FirstCome:
		default:
			return false, fmt.Errorf("--aim: found %q; expected least_total or first_come", aim)
		}
		r := f.Plan(routing.Aim(aim))
		differences := f.Differences(routing.Aim(aim), r)
		if asJSON {
			err = printJSON(r)
		} else {
			for _, t := range r.Titles {
				fmt.Printf("%s: %d minutes of waiting\n", t.Title, t.Total)
				for _, p := range t.Pairs {
					fmt.Printf("  %s is served by %s, on the shelf %s\n", p.Hold, p.Item, p.OnShelf)
				}
				for _, w := range t.Waiting {
					fmt.Printf("  %s waits: %s\n", w.Hold, w.Reason)
				}
			}
		}
		for _, d := range differences {
			fmt.Fprintln(os.Stderr, d)
		}
		return len(differences) == 0, err
	})
	plan.Flags().StringVar(&aim, "aim", "", "least_total or first_come, instead of the file's own")
	cmd.AddCommand(plan)
	return cmd
}
