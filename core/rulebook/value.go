package rulebook

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"nevrin/core/calendar"
	"nevrin/core/expect"
	"nevrin/core/jsonfile"
	"nevrin/core/money"
)

// Value is the value of a term. What it means depends on the term's kind; Null means no limit.
type Value struct {
	null  bool
	n     int64 // number, minor units, choice index, 1 for yes, days (positive) or minutes (negative)
	dates []calendar.Date
}

// Equal compares two values of the same term by meaning.
func (v Value) Equal(other Value) bool {
	return v.null == other.null && v.n == other.n && slices.Equal(v.dates, other.dates)
}

// Null tells whether the value is null, which means no limit.
func (v Value) Null() bool { return v.null }

// Number is the value of a number, Amount that of a sum of money, YesNo of a yes or no.
func (v Value) Number() int          { return int(v.n) }
func (v Value) Amount() money.Amount { return money.Amount(v.n) }
func (v Value) YesNo() bool          { return v.n == 1 }

// Dates is the value of a list of dates, in order.
func (v Value) Dates() []calendar.Date { return v.dates }

// limit and limitAmount are a limit, nil where there is none.
func (v Value) limit() *int {
	if v.null {
		return nil
	}
	n := v.Number()
	return &n
}

func (v Value) limitAmount() *money.Amount {
	if v.null {
		return nil
	}
	amount := v.Amount()
	return &amount
}

// Duration is the value of a duration.
func (v Value) Duration() calendar.Duration {
	if v.n > 0 {
		return calendar.Duration{Days: int(v.n)}
	}
	return calendar.Duration{Minutes: int(-v.n)}
}

// Choice is the word a choice stands for.
func (v Value) Choice(t Term) string { return All[t].Choices[v.n] }

// ReadValue reads the value of a term from a file.
func ReadValue(n jsonfile.Node, t Term, currency money.Currency) Value {
	info := &All[t]
	if n.Null() {
		if !info.Nullable {
			n.Wrong(info.expected())
		}
		return Value{null: true}
	}
	switch info.Kind {
	case KindDuration:
		d := jsonfile.Parsed(n, calendar.ParseDuration)
		if d.Days > 0 {
			return Value{n: int64(d.Days)}
		}
		return Value{n: -int64(d.Minutes)}
	case KindChoice:
		return Value{n: int64(max(0, slices.Index(info.Choices, n.OneOf(info.Choices...))))}
	case KindDates:
		dates := []calendar.Date{}
		for _, item := range n.List() {
			dates = append(dates, jsonfile.Parsed(item, calendar.ParseDate))
		}
		slices.Sort(dates)
		return Value{dates: slices.Compact(dates)}
	case KindNumber:
		return Value{n: int64(n.Whole())}
	case KindMoney:
		return Value{n: int64(jsonfile.Parsed(n, currency.Parse))}
	case KindYesNo:
		if n.Bool() {
			return Value{n: 1}
		}
	}
	return Value{}
}

func (i *TermInfo) expected() string {
	return "a value of " + i.ID + ": " + map[Kind]string{
		KindDuration: "a duration such as P21D", KindChoice: "one of " + strings.Join(i.Choices, ", "),
		KindDates: "a list of dates", KindNumber: "a whole number", KindMoney: "a sum such as 0.25",
		KindYesNo: "true or false",
	}[i.Kind]
}

// Plain is the value as files carry it, ready for encoding/json.
func (v Value) Plain(t Term, currency money.Currency) any {
	if v.null {
		return nil
	}
	switch All[t].Kind {
	case KindDuration:
		return v.Duration().String()
	case KindChoice:
		return v.Choice(t)
	case KindDates:
		if v.dates == nil {
			return []calendar.Date{}
		}
		return v.dates
	case KindMoney:
		return currency.Format(v.Amount())
	case KindYesNo:
		return v.YesNo()
	}
	return v.n
}

// Say writes a value of a term as people say it in the rulebook's network.
func (b *Rulebook) Say(t Term, v Value) string {
	style := calendar.UsualStyle
	if len(b.Branches) > 0 {
		style = b.Branches[0].Style
	}
	return v.Say(t, b.Currency, style)
}

// Say writes the value as people say it: "21 days", "no limit", "open day".
func (v Value) Say(t Term, currency money.Currency, style calendar.Style) string {
	info := &All[t]
	if v.null {
		return "no limit"
	}
	switch info.Kind {
	case KindDuration:
		return v.Duration().Say()
	case KindChoice:
		return strings.ReplaceAll(v.Choice(t), "_", " ")
	case KindDates:
		if len(v.dates) == 0 {
			return "none"
		}
		words := make([]string, len(v.dates))
		for i, d := range v.dates {
			words[i] = style.Date(d)
		}
		return strings.Join(words, ", ")
	case KindMoney:
		return currency.Say(v.Amount())
	case KindYesNo:
		if v.YesNo() {
			return "yes"
		}
		return "no"
	}
	if info.Unit == "" {
		return fmt.Sprint(v.n)
	}
	unit := info.Unit
	if v.n == 1 {
		unit = singular.Replace(unit)
	}
	return fmt.Sprintf("%d %s", v.n, unit)
}

var singular = strings.NewReplacer(
	"times",
	"time",
	"units",
	"unit",
	"loans",
	"loan",
	"days",
	"day",
	"items",
	"item",
	"holds",
	"hold",
	"years",
	"year",
	"requests",
	"request",
)

// ParseValue reads a value from JSON outside a file, such as a change in the grid.
func ParseValue(t Term, raw json.RawMessage, currency money.Currency) (Value, error) {
	n, err := jsonfile.Read(raw)
	if err != nil {
		return Value{}, expect.Errorf(t.Info().expected(), "the value of %s is not JSON", t)
	}
	v := ReadValue(n, t, currency)
	return v, n.Err()
}

// defaults are the values of terms that nothing settles.
func defaults(currency money.Currency) [termCount]Value {
	var out [termCount]Value
	for t := range All {
		info := &All[t]
		switch {
		case info.initial == "null":
			out[t] = Value{null: true}
		case info.Kind == KindMoney, info.Kind == KindDates:
			// zero money and no dates
		default:
			raw := info.initial
			if info.Kind == KindDuration || info.Kind == KindChoice {
				raw = `"` + raw + `"`
			}
			v, err := ParseValue(Term(t), json.RawMessage(raw), currency)
			if err != nil {
				panic("rulebook: default of " + info.ID + ": " + err.Error())
			}
			out[t] = v
		}
	}
	return out
}
