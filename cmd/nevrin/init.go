package main

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"nevrin/app/begin"
	"nevrin/app/rules"
	"nevrin/core/calendar"
	"nevrin/core/expect"
	"nevrin/core/money"
)

// initCommand makes a network out of a few answers: those given as flags, and asked for where they are missing and somebody is there.
func initCommand() *cobra.Command {
	var of begin.Answers
	var branches []string
	cmd := &cobra.Command{
		Use:   "init",
		Short: "Make a network that works in an empty database, from a few answers; all of it can be changed later",
		Args:  cobra.NoArgs,
	}
	flags := cmd.Flags()
	flags.StringVar(&of.Name, "name", "", "name of the network")
	flags.StringVar(&of.Timezone, "timezone", "", "time zone, such as Europe/Berlin")
	flags.StringVar(&of.Currency, "currency", "", "currency of ISO 4217, such as EUR")
	flags.StringArrayVar(&branches, "branch", nil, "a branch, such as \"HVH Havenhead\"; again for each")
	flags.StringVar(&of.Hours, "hours", "", "opening hours of all branches, such as \""+begin.Usual+"\"")
	flags.StringVar(&of.Courier, "courier", "", "courier between branches: none, or daily")
	flags.StringVar(&of.Digits, "digits", "", "the four digits in every card and item number; some where not given")
	cmd.RunE = func(cmd *cobra.Command, _ []string) error {
		s, err := fromEnvironment()
		if err != nil {
			return err
		}
		for _, text := range branches {
			b, err := begin.ParseBranch(text)
			if err != nil {
				return fmt.Errorf("--branch: %w", err)
			}
			of.Branches = append(of.Branches, b)
		}
		return makeNetwork(cmd.Context(), s, func() (*rules.Prepared, error) {
			if err := (&asking{bufio.NewReader(cmd.InOrStdin()), cmd.OutOrStdout()}).rest(&of); err != nil {
				return nil, err
			}
			return begin.Prepare(of, time.Now())
		})
	}
	return cmd
}

// asking asks for answers that are missing, line by line.
type asking struct {
	in  *bufio.Reader
	out io.Writer
}

// rest asks for what has not been given as a flag. What was given is not asked again; it is checked with all of it.
func (q *asking) rest(of *begin.Answers) error {
	given := *of
	questions := []struct {
		is    bool // answered by a flag
		says  string
		usual string
		take  func(string) error
	}{
		{given.Name != "", "What is the network called?", "", func(text string) error {
			if of.Name = text; text == "" {
				return errors.New("it needs a name")
			}
			return nil
		}},
		{given.Timezone != "", "In which time zone? Such as Europe/Berlin.", "", func(text string) error {
			of.Timezone = text
			_, err := calendar.ParseLocation(text)
			return err
		}},
		{given.Currency != "", "In which currency? Such as EUR.", "", func(text string) error {
			of.Currency = strings.ToUpper(text)
			_, err := money.ParseCurrency(of.Currency)
			return err
		}},
		{len(given.Branches) > 0, "Which branches? Three letters and a name, such as HVH Havenhead; with commas between several.", "", func(text string) error {
			of.Branches = nil
			for part := range strings.SplitSeq(text, ",") {
				b, err := begin.ParseBranch(part)
				if err != nil {
					return err
				}
				of.Branches = append(of.Branches, b)
			}
			return nil
		}},
		{given.Hours != "", "When are they open? Each branch gets its own hours later.", begin.Usual, func(text string) error {
			of.Hours = text
			_, err := begin.ParseHours(text)
			return err
		}},
		{given.Courier != "" || len(given.Branches) == 1, "Does a courier go from branch to branch: daily, or none?", "none", func(text string) error {
			if of.Courier = strings.ToLower(text); of.Courier != "daily" && of.Courier != "none" {
				return expect.Errorf("daily or none", "%q", text)
			}
			return nil
		}},
	}
	for _, ask := range questions {
		if ask.is {
			continue
		}
		for {
			text, err := q.line(ask.says, ask.usual)
			if err != nil {
				return err
			}
			if err = ask.take(text); err == nil {
				break
			}
			_, _ = fmt.Fprintf(q.out, "  %s.\n", strings.TrimSuffix(err.Error(), "."))
		}
	}
	return nil
}

func (q *asking) line(says, usual string) (string, error) {
	if usual != "" {
		says += " [" + usual + "]"
	}
	_, _ = fmt.Fprint(q.out, says, "\n> ")
	text, err := q.in.ReadString('\n')
	text = strings.TrimSpace(text)
	if err != nil && text == "" {
		_, _ = fmt.Fprintln(q.out)
		return "", errors.New("nobody answers; give everything as flags: nevrin init --name … --timezone … --currency … --branch … --hours … --courier …")
	}
	if text == "" {
		text = usual
	}
	return text, nil
}
