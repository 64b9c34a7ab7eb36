// Package begin makes a network that works out of a few answers: branches, usual classes, a small set of rules with examples, and lists to
// choose from. It writes the same files that a network brings with it, so that both go the same way; all of it is changed later on the
// screen. What is usual: common practice, no source.
package begin

import (
	"cmp"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"time"

	"nevrin/app/rules"
	"nevrin/core/calendar"
	"nevrin/core/courier"
	"nevrin/core/expect"
	"nevrin/core/money"
	"nevrin/core/rulebook"
	"nevrin/store/networkdb"
)

// Answers are the facts that a new network is made from.
type Answers struct {
	Name     string
	Timezone string
	Currency string // ISO 4217
	Branches []Branch
	Hours    string // of all branches, as ParseHours reads them
	Courier  string // none or daily
	Digits   string // the four in every card and item number; empty: some
}

// Branch is a code and what people call it.
type Branch struct{ Code, Name string }

// ParseBranch reads a branch as "HVH Havenhead" or "HVH=Havenhead".
func ParseBranch(text string) (Branch, error) {
	code, name, _ := strings.Cut(strings.Replace(strings.TrimSpace(text), "=", " ", 1), " ")
	b := Branch{strings.ToUpper(strings.TrimSpace(code)), strings.TrimSpace(name)}
	if !calendar.Code(b.Code).OnLabels() || b.Name == "" {
		return b, expect.Errorf("three letters and a name, such as HVH Havenhead", "%q for a branch", text)
	}
	return b, nil
}

// ParseHours reads hours of a week such as "mon-fri 10:00-18:00, sat 10:00-13:00 14:00-16:00".
func ParseHours(text string) (map[string][]string, error) {
	out := map[string][]string{}
	wrong := expect.Errorf("days and times, such as mon-fri 10:00-18:00, sat 10:00-14:00", "%q for opening hours", text)
	for part := range strings.SplitSeq(text, ",") {
		words := strings.Fields(part)
		if len(words) < 2 {
			return nil, wrong
		}
		from, to, several := strings.Cut(strings.ToLower(words[0]), "-")
		first, last := slices.Index(week, from), slices.Index(week, to)
		if !several {
			last = first
		}
		if first < 0 || last < first {
			return nil, wrong
		}
		for _, span := range words[1:] {
			if _, err := calendar.ParseSpan(span); err != nil {
				return nil, err
			}
		}
		for _, day := range week[first : last+1] {
			out[day] = append(out[day], words[1:]...)
		}
	}
	return out, nil
}

// week is from Monday on, as people write hours.
var week = append(slices.Clone(calendar.DayKeys[1:]), calendar.DayKeys[0])

// Usual are the answers proposed.
const Usual = "mon-fri 10:00-18:00, sat 10:00-14:00"

// Prepare makes the files of a network and looks whether they fit each other.
func Prepare(of Answers, now time.Time) (*rules.Prepared, error) {
	hours, err := ParseHours(cmp.Or(of.Hours, Usual))
	if err != nil {
		return nil, err
	}
	zone, err := calendar.ParseLocation(of.Timezone)
	if err != nil {
		return nil, fmt.Errorf("the time zone: %w", err)
	}
	currency, err := money.ParseCurrency(of.Currency)
	if err != nil {
		return nil, fmt.Errorf("the currency: %w", err)
	}
	if of.Courier != "" && of.Courier != "none" && of.Courier != "daily" {
		return nil, expect.Errorf("none or daily", "%q for the courier", of.Courier)
	}
	book, err := rulesFor(of, hours, currency, calendar.DateOf(now.In(zone)))
	if err != nil {
		return nil, err
	}
	n := rules.Network{
		Name: of.Name, Digits: cmp.Or(of.Digits, fmt.Sprintf("%04d", 1000+rand.IntN(9000))), Timezone: of.Timezone, Rulebook: book,
		Choices: choices(currency), Ages: ages,
	}
	if of.Courier == "daily" && len(of.Branches) > 1 {
		if n.Courier, err = daily(of, hours); err != nil {
			return nil, err
		}
	}
	return rules.Prepare(n)
}

// object is JSON that is being written.
type object = map[string]any

func branchesOf(of Answers, hours map[string][]string, more object) []object {
	out := []object{}
	for _, b := range of.Branches {
		o := object{"code": b.Code, "timezone": of.Timezone, "hours": hours}
		if more == nil {
			o["name"] = b.Name
		}
		for k, v := range more {
			o[k] = v
		}
		out = append(out, o)
	}
	return out
}

// rulesFor are the rules to begin with. Their examples say what comes out of them as they stand, so that a later change that alters it
// is told.
func rulesFor(of Answers, hours map[string][]string, currency money.Currency, today calendar.Date) ([]byte, error) {
	// Sums are thought of in a currency with hundredths; one without them counts in whole units, as many as those have hundredths.
	sum := func(hundredths int64) string {
		if currency.Digits > 2 {
			hundredths *= 10
		}
		return currency.Format(money.Amount(hundredths))
	}
	file := object{
		"format": rulebook.Format, "currency": of.Currency, "branches": branchesOf(of, hours, nil),
		"rules": []object{
			{"id": "base", "name": "Base rule", "scope": object{}, "terms": object{
				"loan_period": "P21D", "closed_day": "next", "renewals": 2, "fine_rate": sum(20), "fine_unit": "open_day",
				"grace": 2, "fine_limit": sum(500), "up_to_price": true, "owed_limit": sum(1000), "late_items_limit": 10,
				"loans_at_once": 40, "holds_at_once": 15, "hold_shelf_days": 7, "lost_after": 42, "refund_within": 60,
				"interlibrary_at_once": 5,
			}},
			{"id": "films", "name": "Films and games go out for a week", "scope": object{"material_class": []string{"film", "game"}},
				"terms": object{"loan_period": "P7D", "renewals": 1}},
			{"id": "magazines", "name": "Magazines go out for a week, without renewal", "scope": object{"material_class": []string{"magazine"}},
				"terms": object{"loan_period": "P7D", "renewals": 0}},
			{"id": "reference", "name": "Library-use items stay in the library", "scope": object{"collection": []string{"reference"}},
				"terms": object{"lending_allowed": false, "holds_allowed": false}},
			{"id": "children", "name": "Children and young people pay no late fines", "scope": object{"patron_class": []string{"child", "youth"}},
				"terms": object{"fine_rate": sum(0)}},
			{"id": "institutions", "name": "Institutions have six weeks and pay no late fines", "scope": object{"patron_class": []string{"institution"}},
				"terms": object{"loan_period": "P42D", "fine_rate": sum(0), "loans_at_once": nil, "owed_limit": nil}},
		},
	}
	data, err := json.Marshal(file)
	if err != nil {
		return nil, err
	}
	book, err := rulebook.Read(data)
	if err != nil {
		return nil, err
	}
	if file["examples"], err = examples(book, today); err != nil {
		return nil, err
	}
	return json.Marshal(file)
}

// examples are usual loans at the first branch on its next open day, and what comes of them.
func examples(book *rulebook.Rulebook, today calendar.Date) ([]object, error) {
	out := []object{}
	if len(book.Branches) == 0 {
		return out, nil
	}
	at := book.Branches[0]
	day, open := at.NextOpenDay(today - 1)
	if !open {
		return out, nil
	}
	lent := at.At(day, at.Day(day)[0].From)
	for _, e := range [][4]string{
		{"A book for an adult", "general", "book", "adult"},
		{"A film for an adult", "general", "film", "adult"},
		{"A magazine for a young person", "general", "magazine", "youth"},
		{"A picture book for a child", "children", "book", "child"},
		{"Audio books for an institution", "general", "audio", "institution"},
		{"A game for staff", "general", "game", "staff"},
	} {
		given := rulebook.Given{Situation: rulebook.Situate(at.Code, at.Code, e[1], e[2], e[3]), Lent: lent}
		due := book.Compute(given).Due
		out = append(out, object{
			"name": e[0],
			"given": object{
				"lending_branch": at.Code, "home_branch": at.Code, "collection": e[1], "material_class": e[2], "patron_class": e[3],
				"lent": lent.Format("2006-01-02T15:04"),
			},
			"expect": object{"due": due.Print(at)},
		})
	}
	return out, nil
}

// daily is a courier that visits all branches in their order on each day on which they are open, from eight in the morning on.
func daily(of Answers, hours map[string][]string) ([]byte, error) {
	const ride, stay = 30, 10 // minutes
	clock := func(minutes int) string { return fmt.Sprintf("%02d:%02d", 8+minutes/60, minutes%60) }
	last := (len(of.Branches) - 1) * (ride + stay)
	if last+ride >= 15*60 {
		return nil, expect.Errorf("none, and runs of your own under Courier", "a daily round of %d branches", len(of.Branches))
	}
	stops := []object{{"branch": of.Branches[0].Code, "depart": clock(0)}}
	for k, b := range of.Branches[1:] {
		arrive := k*(ride+stay) + ride
		stops = append(stops, object{"branch": b.Code, "arrive": clock(arrive), "depart": clock(arrive + stay)})
	}
	stops = append(stops, object{"branch": of.Branches[0].Code, "arrive": clock(last + ride)})
	var days []string
	for _, day := range week {
		if len(hours[day]) > 0 {
			days = append(days, day)
		}
	}
	return json.Marshal(object{
		"format": courier.Format, "timezone": of.Timezone,
		"branches": branchesOf(of, hours, object{"sort_minutes": 20, "receive_minutes": 30}),
		"runs":     []object{{"id": "round", "days": days, "stops": stops}}, "asks": []object{},
	})
}

// ages are those at which a class is proposed, and which follows.
var ages = map[string]rules.Ages{
	"child": {To: 13, Next: "youth"}, "youth": {From: 13, To: 18, Next: "adult"}, "adult": {From: 18},
}

// choices are the lists to choose from.
func choices(currency money.Currency) []networkdb.Choice {
	charge := func(hundredths money.Amount) *money.Amount {
		if currency.Digits > 2 {
			hundredths *= 10
		}
		return &hundredths
	}
	out := []networkdb.Choice{
		{List: "waive", Code: "our_error", Name: "Our own error"},
		{List: "waive", Code: "goodwill", Name: "Goodwill"},
		{List: "waive", Code: "hardship", Name: "Hardship"},
		{List: "cancel", Code: "not_wanted", Name: "No longer wanted"},
		{List: "cancel", Code: "found", Name: "Found elsewhere"},
		{List: "cancel", Code: "not_found", Name: "Not found on any shelf"},
		{List: "refuse", Code: "in_use", Name: "In use here"},
		{List: "refuse", Code: "not_lent", Name: "Not lent to others"},
		{List: "refuse", Code: "not_ours", Name: "We do not have it"},
		{List: "charge", Code: "card", Name: "Replacement card", Amount: charge(200)},
		{List: "charge", Code: "damage", Name: "Small damage", Amount: charge(300)},
		{List: "note", Code: "desk", Name: "For the desk"},
		{List: "note", Code: "urgent", Name: "Remind at every visit", Loud: true},
		{List: "mark", Code: "housebound", Name: "Housebound"},
	}
	for k := range out {
		out[k].Position = k
	}
	return out
}
