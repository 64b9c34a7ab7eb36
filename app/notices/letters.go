package notices

import (
	"cmp"
	"slices"
	"strings"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/person"
	"nevrin/store/noticesdb"
)

// Letter is a letter waiting to be printed and posted.
type Letter struct {
	Message int64    `json:"message"`
	Number  int      `json:"number" doc:"Its number in the batch, which is in postal order"`
	Patron  int64    `json:"patron"`
	Name    string   `json:"name"`
	To      []string `json:"to" nullable:"false" doc:"The address, a line each"`
	Home    string   `json:"home" doc:"Their home branch"`
	Kind    string   `json:"kind" doc:"What it tells, in words"`
	Subject string   `json:"subject"`
	Body    string   `json:"-"`
}

// lettersMost is how many letters are printed at once.
const lettersMost = 2000

// Letters lists the letters waiting to be posted, of a branch's patrons or of all, in postal order. Letters that are no longer needed are
// left out.
func Letters(a *act.Act, branch calendar.Code) ([]Letter, error) {
	rows, err := noticesdb.LettersToPost(a.Tx, branch, lettersMost)
	if err != nil {
		return nil, err
	}
	ids := make([]int64, len(rows))
	for k := range rows {
		ids[k] = rows[k].ID
	}
	of, err := stillNeeded(a, ids)
	if err != nil {
		return nil, err
	}
	people, err := noticesdb.Recipients(a.Tx, recipientsOf(rows))
	if err != nil {
		return nil, err
	}
	out := []Letter{}
	for _, m := range rows {
		to := &people[slices.IndexFunc(people, func(r noticesdb.Recipient) bool { return r.ID == m.PatronID })]
		says := Written{m.Subject, m.Body}
		if m.Body == "" {
			if len(of[m.ID]) == 0 {
				continue
			}
			if says, err = compose(a, to, person.ByLetter, of[m.ID], ""); err != nil {
				return nil, err
			}
		}
		out = append(out, Letter{
			Message: m.ID, Number: len(out) + 1, Patron: m.PatronID, Name: nameOf(to), To: linesOf(to), Home: a.Network.BranchName(to.BranchCode),
			Kind: KindName(m.Kind), Subject: says.Subject, Body: says.Body,
		})
	}
	return out, nil
}

func recipientsOf(rows []noticesdb.Message) []int64 {
	out := make([]int64, len(rows))
	for k := range rows {
		out[k] = rows[k].PatronID
	}
	return out
}

// linesOf gives the lines of a postal address.
func linesOf(to *noticesdb.Recipient) []string {
	lines := []string{cmp.Or(to.LegalName, nameOf(to))}
	for line := range strings.Lines(strings.ReplaceAll(to.Address, ", ", "\n")) {
		if line = strings.TrimSpace(line); line != "" && line != to.Town {
			lines = append(lines, line)
		}
	}
	town := strings.TrimSpace(to.PostalCode + " " + to.Town)
	if town != "" && !strings.HasSuffix(lines[len(lines)-1], town) {
		lines = append(lines, town)
	}
	return lines
}

// Posted marks letters as posted.
func Posted(a *act.Act, messages []int64) (int, error) {
	letters, err := Letters(a, "")
	if err != nil {
		return 0, err
	}
	texts := map[int64]*Letter{}
	for k := range letters {
		texts[letters[k].Message] = &letters[k]
	}
	n := 0
	for _, id := range messages {
		if l := texts[id]; l != nil {
			noticesdb.PostedAs(a.Tx, id, l.Subject, l.Body, a.Now)
			a.Tell(event.Event{Kind: event.MessageSettled, Patron: l.Patron, Message: id, Detail: event.Detail{Is: "sent", Means: "letter", Stage: l.Kind}})
			n++
		}
	}
	if n == 0 {
		return 0, problem.Newf(problem.Refused, "These letters no longer wait. Somebody may have marked them as posted.")
	}
	return n, nil
}
