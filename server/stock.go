package server

import (
	"bytes"
	"context"
	"encoding/base64"
	"net/http"
	"strconv"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"nevrin/app/act"
	"nevrin/app/bibliography"
	"nevrin/app/catalogue"
	"nevrin/app/people"
	"nevrin/app/problem"
	"nevrin/app/rules"
	"nevrin/app/stock"
	"nevrin/core/calendar"
	"nevrin/formats/label"
	"nevrin/store"
	"nevrin/store/loansdb"
	"nevrin/store/stockdb"
)

func (s *Server) stockOperations() {
	type text struct {
		Text string `json:"text" maxLength:"500"`
	}
	do(s, http.MethodPut, "/items/{id}/note", "noteItem", "Write the note on an item, or take it off", employed,
		func(a *act.Act, in *OneSent[text]) (Done, error) {
			return Done{true}, stock.Note(a, in.ID, in.Body.Text)
		})
	type class struct {
		Class string `json:"class"`
	}
	do(s, http.MethodPut, "/patrons/{id}/class", "classifyPatron", "Correct how a patron is classed", employed,
		func(a *act.Act, in *OneSent[class]) (Done, error) {
			return Done{true}, people.Classify(a, in.ID, in.Body.Class)
		})
	do(s, http.MethodPut, "/items/{id}/classing", "classifyItem", "Correct how an item is classed", employed,
		func(a *act.Act, in *OneSent[stock.Classing]) (Done, error) {
			return Done{true}, stock.Classify(a, in.ID, in.Body)
		})
}

// TitlesQuery asks for titles.
type TitlesQuery struct {
	Paged
	Words      string        `query:"words" minLength:"1" maxLength:"200" doc:"That stand in name, author, series, subjects or numbers; an ISBN may have hyphens or ten digits"`
	Branch     calendar.Code `query:"branch" maxLength:"3" doc:"With a copy that belongs there; empty: anywhere"`
	Collection string        `query:"collection" maxLength:"60"`
	Material   string        `query:"material" maxLength:"60"`
	From       int           `query:"from" minimum:"0" maximum:"2200" doc:"Published in this year or later; 0: any"`
	To         int           `query:"to" minimum:"0" maximum:"2200"`
	Public     bool          `query:"public" doc:"As the public sees it: without collections for staff alone"`
}

// titleOperations find, add and change titles.
func (s *Server) titleOperations() {
	look(s, "/titles", "findTitles", "Find titles by words, the best first", everyone,
		func(a *act.Act, in *TitlesQuery) (*catalogue.Found, error) {
			page, err := in.page()
			if err != nil {
				return nil, err
			}
			return catalogue.FindTitles(a, stockdb.TitleSearch{
				Words: in.Words, Branch: in.Branch, Collection: in.Collection, Material: in.Material,
				From: in.From, To: in.To,
				Public: in.Public,
			}, page)
		})
	look(s, "/titles/{id}", "title", "One title, with all that is known of it", everyone, byID(catalogue.OneTitle))
	do(s, http.MethodPost, "/titles", "addTitle", "Add a title", employed, sent(bibliography.Add))
	do(s, http.MethodPut, "/titles/{id}", "changeTitle", "Write a title anew", employed, oneSent(catalogue.Change))
	do(s, http.MethodPost, "/titles/{id}/copies", "addCopies",
		"Add copies to a title, each with its own label", employed, oneSent(stock.AddCopies))
	type file struct {
		Content string `json:"content" maxLength:"1000000" doc:"The file in base64: ISO 2709 or MARCXML"`
	}
	ask(s, "/records-read", "readRecords", "What the records of a MARC file say; nothing is added", employed,
		func(a *act.Act, in *file) (*bibliography.FromFile, error) {
			data, err := base64.StdEncoding.DecodeString(in.Content)
			if err != nil {
				return nil, problem.Newf(problem.Invalid, "The file is incomplete. Choose it again.")
			}
			return bibliography.ReadFile(a, data)
		})
	type isbn struct {
		ISBN string `query:"isbn" minLength:"1" maxLength:"40"`
	}
	// The service is asked outside of any transaction: one that is slow must not hold up the database.
	huma.Register(
		s.api,
		s.guarded(
			http.MethodGet,
			"/records",
			"records",
			"What is known of an ISBN, here and at the service for records",
			employed,
		),
		func(ctx context.Context, in *isbn) (*Out[*bibliography.Answer], error) {
			who, err := s.who(ctx, employed)
			if err != nil {
				return nil, err
			}
			q, err := act.Look(ctx, s.house, who, func(a *act.Act) (*bibliography.Question,
				error) {
				return bibliography.Ask(a, in.ISBN)
			})
			if err != nil {
				return nil, s.problem(ctx, err)
			}
			return &Out[*bibliography.Answer]{q.Answer(ctx, s.house)}, nil
		},
	)
}

// itemOperations keep the records of items, one by one and many at once.
func (s *Server) itemOperations() {
	do(s, http.MethodPut, "/items/{id}", "changeItem", "Write what is on record of an item anew", employed, oneSent(stock.Change))
	do(s, http.MethodPut, "/items/{id}/standing", "standItem",
		"Write how an item stands: in use, missing, put aside, out of the stock", employed,
		func(a *act.Act, in *OneSent[stock.NewStatus]) (Done, error) {
			return Done{true}, stock.SetStatus(a, in.ID, in.Body)
		})
	type classed struct {
		ID    int64  `path:"id"`
		Class string `query:"class" minLength:"1" maxLength:"60"`
	}
	look(s, "/items/{id}/terms", "itemTerms", "Which terms an item gets for a patron class here, and why", everyone,
		func(a *act.Act, in *classed) (*rules.LoanTerms, error) { return rules.Lent(a, in.ID, in.Class) })
	askRows(s, "/items-found", "findItems", "Find items by what is on record of them", employed, stock.Find)
	ask(s, "/items-counted", "countItems", "How many items match a search", employed, stock.Count)
	do(s, http.MethodPost, "/items-changed", "changeItems",
		"Change many items at once, or look at what that would do", supervising, sent(stock.ChangeMany))
	look(s, "/stock-deeds", "stockDeeds", "What was done to many items at once, newest first", employed, inPages(stock.Deeds))
	look(s, "/stock-deeds/{id}/items", "itemsOfDeed", "The items that were changed at once, as they are now", employed,
		paged(func(a *act.Act, in *PagedByID, page store.Page) ([]catalogue.Item, store.Page, error) {
			return stock.ItemsOf(a, in.ID, page)
		}))
	do(s, http.MethodPost, "/stock-deeds/{id}/undo", "undoStockDeed", "Take back what was done to many items", supervising, one(stock.Undo))
	type printed struct {
		Items []int64 `json:"items" minItems:"1" maxItems:"1000" nullable:"false"`
	}
	do(s, http.MethodPost, "/labels-printed", "labelsPrinted", "Say that labels have been printed", employed,
		func(a *act.Act, in *Sent[printed]) (Done, error) { return Done{true}, stock.Printed(a, in.Body.Items) })
	type lent struct {
		Paged
		Branch     calendar.Code `query:"branch" maxLength:"3" doc:"Where it was lent; empty: anywhere"`
		Home       calendar.Code `query:"home" maxLength:"3" doc:"Home branch"`
		Class      string        `query:"class" maxLength:"60" doc:"Of the patron"`
		Material   string        `query:"material" maxLength:"60"`
		Collection string        `query:"collection" maxLength:"60"`
		From       string        `query:"from" maxLength:"10" doc:"Due on this day or later"`
		To         string        `query:"to" maxLength:"10" doc:"Due on this day or earlier"`
	}
	listing(s, "/lent-now", "lentNow", "Everything on loan now, what is due first before", employed,
		paged(func(a *act.Act, in *lent, page store.Page) ([]stock.Lent, store.Page, error) {
			search := loansdb.LentSearch{Branch: in.Branch, Home: in.Home, Class: in.Class, Material: in.Material,
				Collection: in.Collection}
			for text, into := range map[*string]**calendar.Date{&in.From: &search.DueFrom, &in.To: &search.DueTo} {
				if *text == "" {
					continue
				}
				d, err := calendar.ParseDate(*text)
				if err != nil {
					return nil, page, problem.From(problem.Invalid, err)
				}
				*into = &d
			}
			return stock.LentNow(a, search, page)
		}))
}

// shelfOperations look for what is not where it should be.
func (s *Server) shelfOperations() {
	type sought struct {
		Paged
		Branch calendar.Code `query:"branch" maxLength:"3" doc:"Where it belongs or was last seen; empty: anywhere"`
	}
	look(s, "/sought", "sought", "What is looked for: missing, or said to have been brought back", employed,
		paged(func(a *act.Act, in *sought, page store.Page) ([]stock.Sought, store.Page, error) {
			return stock.SoughtList(a, in.Branch, page)
		}))
	look(s, "/items/{id}/looks", "looks", "Who looked where for an item, the latest first", employed, byID(stock.Looks))
	do(s, http.MethodPost, "/items/{id}/looks", "lookFor", "Write down where somebody looked for an item", employed, oneSent(stock.LookFor))
	look(s, "/inventories", "inventories",
		"Shelves of this branch walked along with a scanner, newest first", employed, inPages(stock.Inventories))
	do(s, http.MethodPost, "/inventories", "openInventory", "Begin an inventory", employed, sent(stock.OpenInventory))
	look(s, "/inventories/{id}", "inventory", "One inventory", employed, byID(stock.OneInventory))
	do(s, http.MethodPost, "/inventories/{id}/scans", "shelfScan", "The next scan along a shelf", employed,
		func(a *act.Act, in *OneSent[Scanned]) (*stock.ShelfLine, error) {
			return stock.ScanShelf(a, in.ID, in.Body.Text)
		})
	look(s, "/inventories/{id}/lines", "shelfLines", "The scans along a shelf, newest first", employed,
		paged(func(a *act.Act, in *PagedByID, page store.Page) ([]stock.ShelfLine, store.Page, error) {
			return stock.ShelfLines(a, in.ID, page)
		}))
	look(s, "/inventories/{id}/report", "shelfReport", "What an inventory has come to so far", employed, byID(stock.ReportOf))
	do(s, http.MethodPost, "/inventory-lines/{id}/undo", "undoShelfScan",
		"Take a scan along a shelf back", employed, one(stock.UndoShelfLine))
	do(s, http.MethodPost, "/inventories/{id}/finish", "finishInventory",
		"End an inventory; what was not seen may count as missing", employed, oneSent(stock.Finish))
}

// mostLabels is how many labels are printed at once.
const mostLabels = 1000

// labels prints the labels of items onto a sheet: those named, in order of their numbers.
func (s *Server) labels(w http.ResponseWriter, r *http.Request) {
	who, err := s.who(r.Context(), employed)
	if err != nil {
		s.refuse(w, r, err)
		return
	}
	data, err := act.Look(r.Context(), s.house, who, func(a *act.Act) ([]byte, error) { return labelsOf(a, r) })
	if err != nil {
		s.refuse(w, r, err)
		return
	}
	w.Header().Set("Content-Type", "application/pdf")
	_, _ = w.Write(data)
}

func labelsOf(a *act.Act, r *http.Request) ([]byte, error) {
	query := r.URL.Query()
	sheet, ok := label.SheetOf(query.Get("sheet"))
	if !ok {
		return nil, problem.Newf(problem.Invalid, "There is no sheet of labels %q.", query.Get("sheet"))
	}
	free := 0
	if text := query.Get("free"); text != "" {
		var err error
		if free, err = strconv.Atoi(text); err != nil || free < 0 || free >= sheet.Columns*sheet.Rows {
			return nil, problem.Newf(problem.Invalid, "Enter a number of free positions from 0 to %d.",
				sheet.Columns*sheet.Rows-1)
		}
	}
	var ids []int64
	for text := range strings.SplitSeq(query.Get("items"), ",") {
		if id, err := strconv.ParseInt(text, 10, 64); err == nil {
			ids = append(ids, id)
		}
	}
	if len(ids) == 0 || len(ids) > mostLabels {
		return nil, problem.Newf(problem.Invalid, "Choose 1 to %d items.", mostLabels)
	}
	rows, err := stockdb.ItemsWith(a.Tx, ids)
	if err != nil {
		return nil, err
	}
	var labels []label.Label
	for _, i := range rows {
		labels = append(labels, label.Label{
			Number: i.Barcode, Shown: a.Network.Numbers.Show(i.Barcode), Call: i.CallNumber,
			Home:  a.Network.BranchName(i.BranchCode),
			Title: i.TitleName,
		})
	}
	var out bytes.Buffer
	err = sheet.Write(&out, labels, free)
	return out.Bytes(), err
}
