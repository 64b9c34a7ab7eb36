package server

import (
	"net/http"
	"strings"

	"nevrin/app/act"
	"nevrin/app/calendars"
	"nevrin/app/problem"
	"nevrin/app/rules"
	"nevrin/core/calendar"
	"nevrin/core/rulebook"
	"nevrin/core/why"
	"nevrin/store"
)

// SituationQuery fixes dimensions; what is not given is open.
type SituationQuery struct {
	Branch     calendar.Code `query:"lending_branch"`
	Home       calendar.Code `query:"home_branch"`
	Collection string        `query:"collection"`
	Material   string        `query:"material_class"`
	Patron     string        `query:"patron_class"`
}

func (q *SituationQuery) situation() rulebook.Situation {
	return rulebook.Situate(q.Branch, q.Home, q.Collection, q.Material, q.Patron)
}

// GridQuery asks for a grid.
type GridQuery struct {
	SituationQuery
	Edition int64  `query:"edition" required:"true"`
	Term    string `query:"term" required:"true"`
	Rows    string `query:"rows" default:"patron_class"`
	Columns string `query:"columns" default:"material_class"`
}

func (q *GridQuery) question() rules.Question {
	return rules.Question{Edition: q.Edition, Term: q.Term, Rows: q.Rows, Columns: q.Columns, At: q.situation()}
}

// CellQuery asks for one cell of a grid.
type CellQuery struct {
	SituationQuery
	Edition int64  `query:"edition" required:"true"`
	Term    string `query:"term" required:"true"`
}

// EditionQuery asks for something of an edition.
type EditionQuery struct {
	ID int64 `path:"id"`
}

type editionPaged struct {
	EditionQuery
	Paged
}

// Revised is the body of a change to a draft that names one thing of it.
type Revised struct {
	Revision int    `json:"revision"`
	Name     string `json:"name" maxLength:"200" doc:"Id of a rule, or name of an example"`
}

func (s *Server) ruleOperations() {
	look(s, "/rulebook", "rulebook", "Editions, terms and dimensions", everyone, asks(rules.Look))
	look(s, "/rulebook/grid", "grid", "Two dimensions against each other, one term in the cells", everyone,
		func(a *act.Act, in *GridQuery) (*rules.Grid, error) {
			return rules.Ask(a, in.question())
		})
	look(s, "/rulebook/why", "whyCell", "Why a cell is as it is", everyone, func(a *act.Act, in *CellQuery) (*why.Trace, error) {
		return rules.WhyCell(a, in.Edition, in.Term, in.situation())
	})
	look(s, "/rulebook/editions/{id}/rules", "rules", "The rules of an edition in sentences", everyone,
		func(a *act.Act, in *EditionQuery) (*rules.RuleList, error) { return rules.List(a, in.ID) })
	look(s, "/rulebook/editions/{id}/check", "checkEdition", "Examples, conflicts and warnings of an edition", everyone,
		func(a *act.Act, in *EditionQuery) (*rules.Check, error) {
			return rules.CheckEdition(a, in.ID)
		})
	type two struct {
		From int64 `query:"from" required:"true"`
		To   int64 `query:"to" required:"true"`
	}
	look(s, "/rulebook/compare", "compare", "How two editions differ", everyone,
		func(a *act.Act, in *two) (*rules.Comparison, error) { return rules.Compare(a, in.From, in.To) })
	type ranked struct {
		ID      int64  `path:"id"`
		Ranking string `query:"ranking" required:"true" doc:"The five dimensions, strongest first, with commas"`
	}
	look(s, "/rulebook/editions/{id}/ranked", "compareRanking", "What another ranking would change", everyone,
		func(a *act.Act, in *ranked) (*rules.Comparison, error) {
			return rules.CompareRanking(a, in.ID, strings.Split(in.Ranking, ","))
		})
	s.draftOperations()
	s.rehearsalOperations()
	s.reportOperations()
}

func (s *Server) draftOperations() {
	type named struct {
		Name string `json:"name" maxLength:"200"`
		From int64  `json:"from,omitempty" doc:"The edition it begins as; none: the one in force"`
	}
	do(s, http.MethodPost, "/rulebook/drafts", "beginDraft", "Begin a draft from an edition", supervising,
		func(a *act.Act, in *Sent[named]) (*rules.Edition, error) {
			return rules.Draft(a, in.Body.Name, in.Body.From)
		})
	do(s, http.MethodPut, "/rulebook/drafts/{id}/terms", "setTerm", "Set one term for a scope in a draft", supervising, oneSent(rules.Set))
	do(s, http.MethodPut, "/rulebook/drafts/{id}/cells", "setCells",
		"Set several cells of a grid together in a draft", supervising, oneSent(rules.SetCells))
	do(s, http.MethodPut, "/rulebook/drafts/{id}/rules", "writeRule", "Put a rule into a draft", supervising, oneSent(rules.Write))
	do(s, http.MethodPost, "/rulebook/drafts/{id}/strike", "strikeRule", "Take a rule out of a draft", supervising,
		func(a *act.Act, in *OneSent[Revised]) (*rules.Edition, error) {
			return rules.Strike(a, in.ID, in.Body.Revision, in.Body.Name)
		})
	type ranking struct {
		Revision int      `json:"revision"`
		Ranking  []string `json:"ranking"`
	}
	do(s, http.MethodPut, "/rulebook/drafts/{id}/ranking", "rank", "Change the ranking in a draft", supervising,
		func(a *act.Act, in *OneSent[ranking]) (*rules.Edition, error) {
			return rules.Rank(a, in.ID, in.Body.Revision, in.Body.Ranking)
		})
	do(s, http.MethodPut, "/rulebook/drafts/{id}/examples", "writeExample",
		"Put an example into a draft", supervising, oneSent(rules.WriteExample))
	do(s, http.MethodPost, "/rulebook/drafts/{id}/examples/drop", "dropExample", "Take an example out of a draft", supervising,
		func(a *act.Act, in *OneSent[Revised]) (*rules.Edition, error) {
			return rules.DropExample(a, in.ID, in.Body.Revision, in.Body.Name)
		})
	type from struct {
		ID   int64  `path:"id"`
		From string `query:"from" required:"true" format:"date"`
	}
	look(s, "/rulebook/drafts/{id}/in-force", "puttingInForce", "What putting a draft in force from a date would mean", supervising,
		func(a *act.Act, in *from) (*rules.Putting, error) {
			day, err := calendar.ParseDate(in.From)
			if err != nil {
				return nil, problem.From(problem.Invalid, err)
			}
			return rules.LookAtPutting(a, in.ID, day)
		})
	do(s, http.MethodPost, "/rulebook/drafts/{id}/in-force", "putInForce",
		"Put a draft in force from a date", supervising, oneSent(rules.PutInForce))
	do(s, http.MethodPost, "/rulebook/editions/{id}/withdraw", "withdrawEdition",
		"Withdraw an edition that has not begun", supervising, one(rules.Withdraw))
	do(s, http.MethodDelete, "/rulebook/drafts/{id}", "dropDraft", "Give a draft up", supervising, func(a *act.Act, in *One) (Done, error) {
		return Done{true}, rules.Discard(a, in.ID)
	})
	do(s, http.MethodPost, "/rulebook/file", "bringFile",
		"Look at a rulebook file, or take it over as a draft", supervising, sent(rules.Bring))
}

func (s *Server) rehearsalOperations() {
	do(s, http.MethodPost, "/rulebook/editions/{id}/rehearsals", "rehearse",
		"Rehearse a draft on the loans of a period", supervising, oneSent(rules.Begin))
	look(s, "/rulebook/editions/{id}/rehearsals", "rehearsals", "The latest rehearsals of an edition", supervising,
		paged(func(a *act.Act, in *editionPaged, page store.Page) ([]rules.Rehearsal, store.Page, error) {
			return rules.Rehearsals(a, in.ID, page)
		}))
	look(s, "/rehearsals/{id}", "rehearsal", "A rehearsal and what it found", supervising, byID(rules.Rehearsed))
	do(s, http.MethodPost, "/rehearsals/{id}/stop", "stopRehearsal", "Stop a rehearsal", supervising, one(rules.Stop))
}

func (s *Server) reportOperations() {
	open(s, "/loans/{id}/terms", "loanTerms", "Which rule gave each term of a loan", everyone, byID(rules.Loan))
	type wanted struct {
		Item   int64 `query:"item" required:"true"`
		Patron int64 `query:"patron" required:"true"`
	}
	look(s, "/rulebook/wanted", "wantedTerms", "Which rule would give each term of a loan, should it be made now", everyone,
		func(a *act.Act, in *wanted) (*rules.LoanTerms, error) {
			return rules.Wanted(a, in.Item, in.Patron)
		})
	look(s, "/loans/{id}/example", "exampleOfLoan", "A loan as an example", supervising, byID(rules.FromLoan))
	do(s, http.MethodPost, "/reports", "report", "Report terms that seem wrong to the supervisor", everyone, sent(rules.Complain))
	look(s, "/reports", "reports", "Reports from the branches, open ones first", supervising, inPages(rules.Reports))
	type answer struct {
		Answer string `json:"answer" minLength:"1" maxLength:"1000"`
	}
	do(s, http.MethodPost, "/reports/{id}/answer", "answerReport", "Answer a report", supervising,
		func(a *act.Act, in *OneSent[answer]) (*rules.Report, error) {
			return rules.AnswerReport(a, in.ID, in.Body.Answer)
		})
}

func (s *Server) calendarOperations() {
	type year struct {
		Branch calendar.Code `path:"branch" minLength:"1" maxLength:"40"`
		Year   int           `query:"year" maximum:"2200"`
	}
	look(s, "/calendars/{branch}", "calendar", "A branch's calendar and one year of it", everyone,
		func(a *act.Act, in *year) (*calendars.Calendar, error) {
			return calendars.Look(a, in.Branch, in.Year)
		})
	ask(s, "/calendars/preview", "previewCalendar", "What a change to calendars would touch", employed,
		func(a *act.Act, in *calendars.Change) (*calendars.Touched, error) {
			return calendars.Preview(a, *in)
		})
	askListing(s, "/calendars/preview/loans", "previewLoans",
		"The loans whose due date a change to calendars would move", employed, calendars.MovedLoans)
	askListing(s, "/calendars/preview/holds", "previewHolds",
		"The holds that would wait longer after a change to calendars", employed, calendars.MovedHolds)
	do(s, http.MethodPost, "/calendars/apply", "changeCalendar",
		"Change calendars, due dates and hold shelves along with them", employed, sent(calendars.Apply))
	type calendarFile struct {
		Text string `json:"text" minLength:"2" maxLength:"900000" doc:"A file of iCalendar, RFC 5545"`
	}
	ask(s, "/calendars/file", "readCalendarFile", "Read a calendar file, to be looked at", supervising,
		func(a *act.Act, in *calendarFile) ([]calendars.Days, error) {
			return calendars.Bring(a, in.Text)
		})
	look(s, "/calendar-changes", "calendarChanges", "The latest changes to calendars", everyone, inPages(calendars.Sweeps))
	do(s, http.MethodPost, "/calendar-changes/{id}/undo", "undoCalendarChange", "Undo a change to calendars", supervising,
		func(a *act.Act, in *One) (Done, error) { return Done{true}, calendars.Undo(a, in.ID) })
}
