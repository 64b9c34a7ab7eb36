package upkeep

import (
	"regexp"
	"strings"

	"nevrin/app/act"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/ident"
	"nevrin/core/plain"
	core "nevrin/core/settings"
	"nevrin/formats/sms"
	"nevrin/store"
	"nevrin/store/holdsdb"
	"nevrin/store/keepingdb"
	"nevrin/store/networkdb"
)

// Settled are the network's settings, beside rules and calendars.
type Settled = core.Settings

type settings struct{}

func (settings) Call(string, *Settled) string { return "Settings" }

func (settings) Load(a *act.Act, _ string) (*Settled, error) { return new(a.Network.Settled), nil }

func (settings) Keep(a *act.Act, _ string, _, is *Settled) (*Settled, error) {
	if is == nil {
		return nil, problem.Newf(problem.Refused, "Settings are missing.")
	}
	if err := is.Check(); err != nil {
		return nil, problem.From(problem.Invalid, err)
	}
	if c := is.Notices.Country; c != "" && !sms.Region(c) {
		return nil, problem.Newf(problem.Invalid, "There is no country %q with telephone numbers. Enter a code of ISO 3166-1 such as CA.", c)
	}
	for branch := range is.Holds.FetchMost {
		if _, err := a.Network.Branch(calendar.Code(branch)); err != nil {
			return nil, err
		}
	}
	keepingdb.KeepSettings(a.Tx, store.JSON(is))
	// Whoever waits stands by the new order at once, but for who was moved by hand.
	return is, holdsdb.Reband(a.Tx, is.Holds.Order)
}

// Numbers are the patterns of card and item numbers.
type Numbers = ident.Numbers

type numbers struct{}

func (numbers) Call(string, *Numbers) string { return "Numbers of cards and labels" }

func (numbers) Load(a *act.Act, _ string) (*Numbers, error) { return new(a.Network.Numbers), nil }

func (numbers) Keep(a *act.Act, _ string, _, is *Numbers) (*Numbers, error) {
	if is == nil {
		return nil, problem.Newf(problem.Refused, "Number formats are missing.")
	}
	if err := is.Validate(); err != nil {
		return nil, problem.From(problem.Invalid, err)
	}
	for _, p := range is.Patterns {
		if p.Branch != "" {
			if _, err := a.Network.Branch(p.Branch); err != nil {
				return nil, err
			}
		}
	}
	unread, err := unread(a, is)
	if err != nil {
		return nil, err
	}
	if len(unread) > 0 {
		return nil, problem.Newf(
			problem.Refused,
			"Numbers in use would no longer be read: %s. Keep a format for them, as older numbers.",
			strings.Join(unread, ", "),
		)
	}
	networkdb.KeepNumbers(a.Tx, store.JSON(is))
	return is, nil
}

// mostUnread is how many numbers are named that would no longer be read.
const mostUnread = 3

// unread gives some of the numbers in use that would no longer be read. Where no pattern is taken away or made narrower there
// are none, and nobody has to look.
func unread(a *act.Act, is *Numbers) ([]string, error) {
	if is.Covers(a.Network.Numbers) {
		return nil, nil
	}
	var out []string
	look := func(of ident.Kind) func([]string) bool {
		return func(numbers []string) bool {
			for _, n := range numbers {
				if !is.Reads(of, n) {
					out = append(out, n)
				}
				if len(out) >= mostUnread {
					return false
				}
			}
			return true
		}
	}
	if err := networkdb.EachCard(a.Tx, look(ident.Card)); err != nil || len(out) >= mostUnread {
		return out, err
	}
	return out, networkdb.EachLabel(a.Tx, look(ident.Item))
}

// Own is the network's own name and symbol.
type Own struct {
	Name   string `json:"name" minLength:"1" maxLength:"100"`
	Symbol string `json:"symbol" pattern:"^[A-Z0-9-]{2,16}$" doc:"Ours towards partners outside"`
}

var symbol = regexp.MustCompile(`^[A-Z0-9-]{2,16}$`)

type own struct{}

func (own) Call(string, *Own) string { return "The network" }

func (own) Load(a *act.Act, _ string) (*Own, error) {
	return &Own{a.Network.Name, a.Network.Symbol}, nil
}

func (own) Keep(a *act.Act, _ string, _, is *Own) (*Own, error) {
	switch {
	case is == nil:
		return nil, problem.Newf(problem.Refused, "The network name is missing.")
	case plain.Line(is.Name) == "":
		return nil, problem.Newf(problem.Invalid, "Enter a name for the network.")
	case !symbol.MatchString(is.Symbol):
		return nil, problem.Newf(problem.Invalid, "%q is not a symbol. Use 2 to 16 capital letters, digits or hyphens.", is.Symbol)
	}
	networkdb.KeepNetwork(a.Tx, plain.Line(is.Name), is.Symbol)
	return is, nil
}
