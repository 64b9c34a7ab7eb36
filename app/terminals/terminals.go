// Package terminals works on payments at card terminals: it asks the terminal, waits for the card, and writes down how it ended.
//
// It concludes nothing from silence. A payment that may have been asked for before is asked about first; whoever works on one says so
// every second, and where nobody does any more, as after a crash, another goes on. Steps and ends are core/terminal's; how a terminal
// is spoken with stands in docs/devices.md.
package terminals

import (
	"context"
	"errors"
	"io"
	"log"
	"time"

	"github.com/riverqueue/river"
	"github.com/sourcegraph/jsonrpc2"

	"nevrin/app/accounts"
	"nevrin/app/act"
	"nevrin/app/jobs"
	"nevrin/app/problem"
	"nevrin/core/money"
	"nevrin/core/role"
	"nevrin/core/terminal"
	"nevrin/store"
	"nevrin/store/accountsdb"
)

// Queue keeps payments, which wait for people, from other work.
const Queue = "terminals"

// Args is the job of a payment.
type Args struct {
	Payment int64 `json:"payment"`
}

// Kind names the job in the queue.
func (Args) Kind() string { return "terminal_payment" }

// InsertOpts puts it into a queue of its own.
func (Args) InsertOpts() river.InsertOpts { return river.InsertOpts{Queue: Queue} }

// Worker works on payments.
type Worker struct {
	river.WorkerDefaults[Args]
	House *act.House
}

// Timeout lets a person look for their card.
func (*Worker) Timeout(*river.Job[Args]) time.Duration { return 10 * time.Minute }

// Work goes on with a payment until it has ended, or its terminal has not answered for a while.
func (w *Worker) Work(ctx context.Context, job *river.Job[Args]) error {
	return Run(ctx, w.House, job.Args.Payment)
}

// ResumeArgs is the job that looks for payments nobody works on.
type ResumeArgs struct{}

// Kind names the job in the queue.
func (ResumeArgs) Kind() string { return "resume_terminal_payments" }

const (
	beats    = time.Second      // how often it is said that somebody works on a payment
	pause    = time.Second      // before a terminal is asked the same again
	patience = 20 * time.Second // for how long one whose answers do not lead on is asked before others go on
	dialling = 3 * time.Second
)

// worker is one who works on a payment.
type worker struct {
	house *act.House
	row   *accountsdb.TerminalPayment
	line  *jsonrpc2.Conn // to the terminal; nil: none
	mute  time.Time      // since when its answers, if any, have not led on; zero: they do
}

// Run works on a payment, if nobody else does.
func Run(ctx context.Context, h *act.House, id int64) error {
	_, err := jobs.Claim(ctx, h.Store, store.PaymentWork(id), func(ctx context.Context, _ string) error { return work(ctx, h, id) })
	if errors.Is(err, jobs.ErrStopped) { // whoever works on it now goes on
		return nil
	}
	return err
}

func work(ctx context.Context, h *act.House, id int64) error {
	w := &worker{house: h}
	var err error
	if w.row, err = accountsdb.OpenTerminalPayment(ctx, h.Store, id); err != nil || w.row == nil {
		return err
	}
	defer w.hangUp()
	step := w.row.State.First(w.row.Sent)
	for ctx.Err() == nil {
		said, err := w.do(ctx, step)
		if err != nil || w.row == nil {
			return err
		}
		var move terminal.Move
		if move, step = w.row.State.Heard(said.Outcome, time.Since(w.row.AskedAt)); move != "" {
			if err := w.move(ctx, move, said); err != nil {
				return err
			}
			step = terminal.Reverse
		} else if w.row.State == terminal.Asked || !w.row.State.Leads(said.Outcome) {
			time.Sleep(pause)
		}
		if w.row, err = accountsdb.OpenTerminalPayment(ctx, h.Store, id); err != nil || w.row == nil {
			return err // it has ended
		}
		if w.row.State == terminal.Stopping {
			step = terminal.Reverse
		}
		if !w.mute.IsZero() && time.Since(w.mute) > patience {
			return nil // the resumer comes by
		}
	}
	return nil
}

// said is what a terminal answers.
type said struct {
	Outcome terminal.Outcome `json:"outcome"`
	Number  string           `json:"number"`
	Says    string           `json:"says"`
}

// asked is what a terminal is asked for. The reference is the same however often.
type asked struct {
	Reference string `json:"reference"`
	Amount    string `json:"amount,omitempty"`
	Currency  string `json:"currency,omitempty"`
}

// do does a step. While the terminal waits for a card it says that it works on the payment, and stops waiting when it is called off.
func (w *worker) do(ctx context.Context, step terminal.Step) (said, error) {
	ask, err := w.asking(ctx)
	if err != nil {
		return said{}, err
	}
	if !w.dial(ctx) {
		return said{}, w.hear(ctx, false)
	}
	if step == terminal.Pay {
		if err := accountsdb.SendTerminalPayment(ctx, w.house.Store, w.row.ID); err != nil {
			return said{}, err
		}
	}
	answered := make(chan said, 1)
	calling, stop := context.WithTimeout(ctx, 3*time.Minute)
	defer stop()
	if step != terminal.Pay {
		calling, stop = context.WithTimeout(ctx, dialling)
		defer stop()
	}
	line := w.line
	go func() {
		var answer said
		if err := line.Call(calling, string(step), ask, &answer); err != nil {
			answer = said{}
		}
		answered <- answer
	}()
	for {
		select {
		case answer := <-answered:
			if answer.Outcome == terminal.Silent {
				w.hangUp()
			}
			return answer, w.hear(ctx, w.row.State.Leads(answer.Outcome))
		case <-time.After(beats):
			now, err := accountsdb.OpenTerminalPayment(ctx, w.house.Store, w.row.ID)
			if err != nil || now == nil {
				w.row = nil
				return said{}, err
			}
			if w.row = now; now.State == terminal.Stopping && step == terminal.Pay {
				return said{Outcome: terminal.Waiting}, nil
			}
		}
	}
}

// asking is what the terminal is asked for.
func (w *worker) asking(ctx context.Context) (*asked, error) {
	m, err := act.Look(ctx, w.house, act.Machine, func(a *act.Act) (money.Currency, error) {
		return a.Network.Money, nil
	})
	return &asked{
		Reference: w.row.Reference, Amount: m.Format(w.row.Amount), Currency: m.Code,
	}, err
}

// dial opens the line to the terminal, unless it is open.
func (w *worker) dial(ctx context.Context) bool {
	if w.line != nil {
		return true
	}
	dialing, stop := context.WithTimeout(ctx, dialling)
	defer stop()
	to, err := w.house.Outside.Dial(dialing, w.row.Terminal)
	if err != nil {
		return false
	}
	w.line = jsonrpc2.NewConn(ctx, jsonrpc2.NewPlainObjectStream(to), jsonrpc2.HandlerWithError(
		func(context.Context, *jsonrpc2.Conn, *jsonrpc2.Request) (any, error) {
			return nil, &jsonrpc2.Error{Code: jsonrpc2.CodeMethodNotFound, Message: "nothing is asked of a desk"}
		}), quiet)
	return true
}

// quiet keeps lost lines, which are told as silence, out of the log.
var quiet = jsonrpc2.SetLogger(log.New(io.Discard, "", 0))

func (w *worker) hangUp() {
	if w.line != nil {
		_ = w.line.Close()
		w.line = nil
	}
}

// hear notes whether what the terminal answers leads on.
func (w *worker) hear(ctx context.Context, answers bool) error {
	switch {
	case answers:
		w.mute = time.Time{}
	case w.mute.IsZero():
		w.mute = time.Now()
	}
	return accountsdb.HearTerminalPayment(ctx, w.house.Store, w.row.ID, answers)
}

// move writes down what follows from what the terminal said. What it has taken and cannot be used is refunded.
func (w *worker) move(ctx context.Context, by terminal.Move, s said) error {
	who := act.Actor{ID: w.row.StaffID, Role: role.Desk, Branch: w.row.BranchCode, Home: w.row.BranchCode}
	do := func(change func(*act.Act) (*accounts.CardPayment, error)) error {
		_, err := act.Do(ctx, w.house, who, "", nil, change)
		return err
	}
	if by == terminal.Approve {
		err := do(func(a *act.Act) (*accounts.CardPayment, error) {
			return accounts.TakenAtTerminal(a, w.row.ID, by, s.Number)
		})
		told := problem.Of(err)
		if told == nil || told.Kind == problem.Crowded {
			return err
		}
		if now, err := accountsdb.OpenTerminalPayment(ctx, w.house.Store, w.row.ID); err != nil || now == nil ||
			now.State != terminal.Asked {
			return err // somebody has called it off, or said how it ended
		}
		by, s.Says = terminal.Return, told.Text
	}
	return do(func(a *act.Act) (*accounts.CardPayment, error) { return accounts.MovePayment(a, w.row.ID, by, s.Says) })
}
