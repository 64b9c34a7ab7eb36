// Package why holds traces: how a decision came about, in sentences a person at the desk can read.
//
// Every decision of the core returns a Trace beside its result. A trace is plain data: it is
// stored with the event of what was done and shown by the one Why drawer of the interface. The
// steps stand in the order in which somebody would tell them: facts first, then what decided,
// then what was outweighed, then the sum.
package why

// Kind says what a step is, so that a reader can tell a fact from what was made of it.
type Kind string

const (
	Fact       Kind = "fact"       // what was known beforehand
	Decided    Kind = "decided"    // the rule or circumstance that settled it
	Outweighed Kind = "outweighed" // what also spoke, and by what it was outweighed
	Sum        Kind = "sum"        // a step of a computation
	Limit      Kind = "limit"      // a bound that bit
	Note       Kind = "note"       // worth knowing, decided nothing
)

// Step is one sentence of a trace, with an optional second line and the steps below it.
type Step struct {
	Kind   Kind   `json:"kind" enum:"fact,decided,outweighed,sum,limit,note"`
	Text   string `json:"text"`
	Detail string `json:"detail,omitempty"`
	Rule   string `json:"rule,omitempty" doc:"Id of the rule that speaks here"`
	Steps  []Step `json:"steps,omitempty"`
}

// Trace tells how one result came about.
type Trace struct {
	Title  string `json:"title"`
	Result string `json:"result"`
	Steps  []Step `json:"steps"`
}

// New begins a trace about title.
func New(title string) Trace { return Trace{Title: title, Steps: []Step{}} }

// Add appends a step and returns the trace, so that traces read from top to bottom.
func (t Trace) Add(kind Kind, text string, detail ...string) Trace {
	s := Step{Kind: kind, Text: text}
	if len(detail) > 0 {
		s.Detail = detail[0]
	}
	t.Steps = append(t.Steps[:len(t.Steps):len(t.Steps)], s)
	return t
}

// Under appends another trace as one step with its own steps below it.
func (t Trace) Under(kind Kind, other Trace) Trace {
	t.Steps = append(
		t.Steps[:len(t.Steps):len(t.Steps)],
		Step{Kind: kind, Text: other.Title, Detail: other.Result, Steps: other.Steps},
	)
	return t
}
