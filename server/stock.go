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
	"nevrin/app/problem"
	"nevrin/app/rules"
	"nevrin/app/stock"
	"nevrin/core/calendar"
	"nevrin/formats/label"
	"nevrin/store/loansdb"
	"nevrin/store/stockdb"
)

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
	look(s, "/titles/{id}", "title", "One title, with all that is known of it", everyone,
		func(a *act.Act, in *ByID) (*catalogue.Shown, error) { return catalogue.OneTitle(a, in.ID) })
	do(s, http.MethodPost, "/titles", "addTitle", "Add a title", employed,
		func(a *act.Act, in *Sent[catalogue.Adding]) (*catalogue.Shown, error) {
			return bibliography.Add(a, in.Body)
		})
	do(s, http.MethodPut, "/titles/{id}", "changeTitle", "Write a title anew", employed,
		func(a *act.Act, in *OneSent[catalogue.Changing]) (*catalogue.Shown, error) {
			return catalogue.Change(a, in.ID, in.Body)
		})
	do(s, http.MethodPost, "/titles/{id}/copies", "addCopies", "Add copies to a title, each with its own label",
		employed,
		func(a *act.Act, in *OneSent[stock.Copying]) ([]catalogue.Item, error) {
			return stock.AddCopies(a, in.ID, in.Body)
		})
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
	do(s, http.MethodPut, "/items/{id}", "changeItem", "Write what is on record of an item anew", employed,
		func(a *act.Act, in *OneSent[stock.Changing]) (*catalogue.Item, error) {
			return stock.Change(a, in.ID, in.Body)
		})
	do(
		s,
		http.MethodPut,
		"/items/{id}/standing",
		"standItem",
		"Write how an item stands: in use, missing, put aside, out of the stock",
		employed,
		func(a *act.Act, in *OneSent[stock.Standing]) (Done, error) {
			return Done{true}, stock.Stand(a, in.ID, in.Body)
		},
	)
	type classed struct {
		ID    int64  `path:"id"`
		Class string `query:"class" minLength:"1" maxLength:"60"`
	}
	look(s, "/items/{id}/terms", "itemTerms", "Which terms an item gets for a patron class here, and why", everyone,
		func(a *act.Act, in *classed) (*rules.LoanTerms, error) { return rules.Lent(a, in.ID, in.Class) })
	askRows(s, "/items-found", "findItems", "Find items by what is on record of them", employed,
		stock.Find)
	ask(s, "/items-counted", "countItems", "How many items match a search", employed,
		stock.Count)
	do(
		s,
		http.MethodPost,
		"/items-changed",
		"changeItems",
		"Change many items at once, or look at what that would do",
		supervising,
		func(a *act.Act, in *Sent[stock.Many]) (*stock.ManyChanged, error) {
			return stock.ChangeMany(a, in.Body)
		},
	)
	look(s, "/stock-deeds", "stockDeeds", "What was done to many items at once, newest first", employed,
		func(a *act.Act, in *Paged) (Rows[stock.DoneToMany], error) {
			page, err := in.page()
			if err != nil {
				return Rows[stock.DoneToMany]{}, err
			}
			return rows(stock.Deeds(a, page))
		})
	look(
		s,
		"/stock-deeds/{id}/items",
		"itemsOfDeed",
		"The items that were changed at once, as they are now",
		employed,
		func(a *act.Act, in *PagedByID) (Rows[catalogue.Item], error) {
			page, err := in.page()
			if err != nil {
				return Rows[catalogue.Item]{}, err
			}
			return rows(stock.ItemsOf(a, in.ID, page))
		},
	)
	do(
		s,
		http.MethodPost,
		"/stock-deeds/{id}/undo",
		"undoStockDeed",
		"Take back what was done to many items",
		supervising,
		func(a *act.Act, in *One) (*stock.Undone, error) { return stock.Undo(a, in.ID) },
	)
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
		func(a *act.Act, in *lent) (Rows[stock.Lent], error) {
			page, err := in.page()
			if err != nil {
				return Rows[stock.Lent]{}, err
			}
			search := loansdb.LentSearch{Branch: in.Branch, Home: in.Home, Class: in.Class, Material: in.Material,
				Collection: in.Collection}
			for text, into := range map[*string]**calendar.Date{&in.From: &search.DueFrom, &in.To: &search.DueTo} {
				if *text == "" {
					continue
				}
				d, err := calendar.ParseDate(*text)
				if err != nil {
					return Rows[stock.Lent]{}, problem.From(problem.Invalid, err)
				}
				*into = &d
			}
			return rows(stock.LentNow(a, search, page))
		})
}

// shelfOperations look for what is not where it should be.
func (s *Server) shelfOperations() {
	type sought struct {
		Paged
		Branch calendar.Code `query:"branch" maxLength:"3" doc:"Where it belongs or was last seen; empty: anywhere"`
	}
	look(s, "/sought", "sought", "What is looked for: missing, or said to have been brought back", employed,
		func(a *act.Act, in *sought) (Rows[stock.Sought], error) {
			page, err := in.page()
			if err != nil {
				return Rows[stock.Sought]{}, err
			}
			return rows(stock.SoughtList(a, in.Branch, page))
		})
	look(s, "/items/{id}/looks", "looks", "Who looked where for an item, the latest first", employed,
		func(a *act.Act, in *ByID) ([]stock.Look, error) { return stock.Looks(a, in.ID) })
	do(s, http.MethodPost, "/items/{id}/looks", "lookFor", "Write down where somebody looked for an item", employed,
		func(a *act.Act, in *OneSent[stock.Looking]) ([]stock.Look, error) {
			return stock.LookFor(a, in.ID, in.Body)
		})
	look(
		s,
		"/inventories",
		"inventories",
		"Shelves of this branch walked along with a scanner, newest first",
		employed,
		func(a *act.Act, in *Paged) (Rows[stock.Inventory], error) {
			page, err := in.page()
			if err != nil {
				return Rows[stock.Inventory]{}, err
			}
			return rows(stock.Inventories(a, page))
		},
	)
	do(s, http.MethodPost, "/inventories", "openInventory", "Begin an inventory", employed,
		func(a *act.Act, in *Sent[stock.Opening]) (*stock.Inventory, error) {
			return stock.OpenInventory(a, in.Body)
		})
	look(s, "/inventories/{id}", "inventory", "One inventory", employed,
		func(a *act.Act, in *ByID) (*stock.Inventory, error) { return stock.OneInventory(a, in.ID) })
	do(s, http.MethodPost, "/inventories/{id}/scans", "shelfScan", "The next scan along a shelf", employed,
		func(a *act.Act, in *OneSent[Scanned]) (*stock.ShelfLine, error) {
			return stock.ScanShelf(a, in.ID, in.Body.Text)
		})
	look(s, "/inventories/{id}/lines", "shelfLines", "The scans along a shelf, newest first", employed,
		func(a *act.Act, in *PagedByID) (Rows[stock.ShelfLine], error) {
			page, err := in.page()
			if err != nil {
				return Rows[stock.ShelfLine]{}, err
			}
			return rows(stock.ShelfLines(a, in.ID, page))
		})
	look(s, "/inventories/{id}/report", "shelfReport", "What an inventory has come to so far", employed,
		func(a *act.Act, in *ByID) (*stock.Report, error) { return stock.ReportOf(a, in.ID) })
	do(
		s,
		http.MethodPost,
		"/inventory-lines/{id}/undo",
		"undoShelfScan",
		"Take a scan along a shelf back",
		employed,
		func(a *act.Act, in *One) (*stock.ShelfLine, error) { return stock.UndoShelfLine(a, in.ID) },
	)
	do(s, http.MethodPost, "/inventories/{id}/finish", "finishInventory",
		"End an inventory; what was not seen may count as missing", employed,
		func(a *act.Act, in *OneSent[stock.Finishing]) (*stock.Inventory, error) {
			return stock.Finish(a, in.ID, in.Body)
		})
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
