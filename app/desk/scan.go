// Package desk lends: a card opens a patron; each item scanned then is lent, refused with a sentence, or becomes an ask.
//
// A scan walks straight: what was scanned (core/ident), the facts, gathered and locked once (store), the decision with
// its why (core/circulation), what follows, written once with its event (store), and what to show. Lend, Renew and Undo
// each read in that order.
package desk

import (
	"strings"

	"nevrin/app/act"
	"nevrin/app/people"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/ident"
	"nevrin/core/loan"
	"nevrin/core/sight"
	"nevrin/core/why"
	"nevrin/store"
	"nevrin/store/deskdb"
	"nevrin/store/holdsdb"
)

// Result is the result of a scan at the desk. It carries what the scan changed, not the whole card again.
type Result struct {
	Kind    string          `json:"kind" enum:"card,lent,staged,ask,refused,wrong,found,several" doc:"staged: it would be lent; found: words were searched; several: codes in one line, each to be sent by itself"`
	Text    string          `json:"text" doc:"What happened, in a sentence"`
	Card    *people.Card    `json:"card,omitempty" doc:"The patron whose card was scanned"`
	Patron  int64           `json:"patron,omitempty" doc:"Whose loan it is"`
	Line    *people.Line    `json:"line,omitempty" doc:"The loan that was made"`
	Stale   bool            `json:"stale" doc:"More of the card has changed than the loan: look at it again"`
	Item    *ItemShown      `json:"item,omitempty"`
	Asks    []Choice        `json:"asks,omitempty" doc:"The answers to an ask, 1, 2, 3"`
	Stops   []loan.StopKind `json:"stops,omitempty" doc:"Kinds of what stands in the way; sent back to go past them"`
	Before  string          `json:"before,omitempty" doc:"That the patron has had this title before"`
	Waiting string          `json:"waiting,omitempty" doc:"That others wait for it"`
	Copies  []Copy          `json:"copies,omitempty" doc:"Copies here that were found by words, where a card is open"`
	Several []string        `json:"several,omitempty" doc:"The codes of one line"`
	Why     *why.Trace      `json:"why,omitempty"`
	Filled  bool            `json:"filled" doc:"The loan came from the hold shelf"`
	Found   []people.Found  `json:"found,omitempty"`
	Meant   ident.Kind      `json:"meant" enum:",card,item,words" doc:"What was meant by the scan, as far as it tells: a number with a mistake in it may be known as a card's"`
	More    string          `json:"more,omitempty" doc:"Ask with this for further ones found; empty: these are all"`
}

// Choice is one answer to an ask; it is sent back with the same scan.
type Choice struct {
	Answer string `json:"answer" enum:"lend,leave,missing,fetch,back" doc:"back: it is returned from who has it, by a scan of a returns run, then scanned here again"`
	Label  string `json:"label"`
	Reason bool   `json:"reason" doc:"Needs a reason"`
}

// ItemShown names an item on a line that is no loan.
type ItemShown struct {
	ID      int64  `json:"id"`
	Barcode string `json:"barcode"`
	Title   string `json:"title"`
}

// Scan is one scan at the desk: its text, the patron who is open, and the answer to an ask about it.
type Scan struct {
	Text    string          `json:"text" minLength:"1" maxLength:"200"`
	Patron  int64           `json:"patron,omitempty"`
	Past    []loan.StopKind `json:"past,omitempty" doc:"Kinds of stops that were seen and are gone past; a further one asks again"`
	Reason  string          `json:"reason,omitempty" maxLength:"500" doc:"Why a stop is gone past"`
	Try     bool            `json:"try,omitempty" doc:"Only to see what would come of it; nothing counts yet"`
	Missing string          `json:"missing,omitempty" maxLength:"200" doc:"What of its parts is missing, to be noted for whoever takes it back"`
	Counted int             `json:"counted,omitempty" minimum:"0" maximum:"999" doc:"How many parts of it a pad has counted by their tags"`
	Fetch   bool            `json:"fetch,omitempty" doc:"It is fetched by this patron for who waits for it, and lent to them"`
}

// Copy is a copy here that was found by its title, since it has no label that can be read.
type Copy struct {
	Barcode string `json:"barcode"`
	Title   string `json:"title"`
	Author  string `json:"author"`
	Call    string `json:"call_number"`
}

// Take takes one scan: a card opens its patron, an item is lent to the patron who is open, words search.
func Take(a *act.Act, s Scan) (*Result, error) {
	if codes := a.Network.Numbers.Several(s.Text); len(codes) > 1 {
		return &Result{Kind: "several", Text: calendar.Count(len(codes), "code") + " in one line", Several: codes}, nil
	}
	scan := a.Network.Numbers.Read(s.Text)
	result, err := take(a, s, scan)
	if result != nil {
		result.Meant = scan.Like
		if scan.Kind == ident.Words {
			result.Meant = ident.Words
		}
	}
	return result, err
}

func take(a *act.Act, s Scan, scan ident.Scan) (*Result, error) {
	switch scan.Kind {
	case ident.Wrong:
		return &Result{Kind: "wrong", Text: scan.Problem}, nil
	case ident.Words:
		return search(a, s)
	case ident.Card:
		return open(a, scan)
	}
	if s.Patron == 0 {
		return &Result{Kind: "wrong", Text: "This is an item. Scan the patron's card first, then the item."}, nil
	}
	l := Lending{
		Item: scan.Number, Patron: s.Patron, Past: s.Past, Reason: s.Reason, Completed: scan.Completed, Try: s.Try,
		Missing: strings.TrimSpace(s.Missing), Counted: s.Counted,
	}
	if s.Fetch {
		return fetch(a, l)
	}
	return Lend(a, l)
}

// fetch lends what waits for somebody else to them, as it is fetched by a patron whom they let.
func fetch(a *act.Act, l Lending) (*Result, error) {
	owner, err := holdsdb.WaitsFor(a.Tx, l.Item)
	if err != nil {
		return nil, err
	}
	if owner == 0 || owner == l.Patron {
		return Lend(a, l) // it waits for nobody else any more
	}
	l.Fetching, l.Patron = l.Patron, owner
	return Lend(a, l)
}

func search(a *act.Act, s Scan) (*Result, error) {
	out, err := searchPatrons(a, s.Text)
	if err != nil || s.Patron == 0 {
		return out, err
	}
	rows, _, err := deskdb.CopiesHere(a.Tx, a.Who.Branch, s.Text, store.Page{Most: copiesFound})
	for _, c := range rows {
		out.Copies = append(out.Copies, Copy{c.Barcode, c.TitleName, c.Author, c.CallNumber})
	}
	if len(rows) > 0 {
		out.Kind = "found"
	}
	return out, err
}

// copiesFound is how many copies words find; who finds more says more words.
const copiesFound = 20

func searchPatrons(a *act.Act, words string) (*Result, error) {
	if !sight.MaySearch(a.Who.Role) {
		return &Result{
			Kind: "wrong",
			Text: "Your role opens patron records by card only. Scan the card or type its number.",
		}, nil
	}
	found, next, err := people.Find(a, words, store.Page{})
	text := calendar.Count(len(found), "patron") + " found"
	if next.More {
		text = "More than " + text
	}
	return &Result{Kind: "found", Text: text, Found: found, More: next.Next()}, err
}

func open(a *act.Act, scan ident.Scan) (*Result, error) {
	if many, err := people.TooManyCards(a); err != nil || many {
		return &Result{Kind: "wrong", Text: "Too many cards in a short time. Wait a minute, then scan the card again."}, err
	}
	card, err := people.OpenByNumber(a, scan.Number)
	if err != nil {
		return nil, err
	}
	if card == nil {
		text, err := people.Stranger(a, scan)
		return &Result{Kind: "wrong", Text: text}, err
	}
	return &Result{Kind: "card", Text: card.Name, Card: card}, nil
}

// ended is the problem that a loan is no longer open.
func ended() error { return problem.Newf(problem.Refused, "This loan has ended already.") }
