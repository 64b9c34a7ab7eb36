package intake

import (
	"fmt"
	"maps"
	"strings"

	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/ident"
	"nevrin/core/intake"
	"nevrin/core/ledger"
	"nevrin/core/queue"
	"nevrin/core/rulebook"
	"nevrin/store/intakedb"
)

// borrower is who has a card; says is why nobody can be meant.
func (b *batching) borrower(text string) (h intakedb.Holder, says string) {
	h, ok := b.holders[b.number(text)]
	if !ok {
		return h, fmt.Sprintf("Nobody has the card %s. Import patrons first.", text)
	}
	return h, ""
}

func (b *batching) lent(from *parsed, row *intake.Row) {
	label := b.number(row.Texts["label"])
	leave := func(says string) { b.left(from.line, 0, "loans", label, says, from.cells) }
	if says := row.Left(b.kind); says != "" {
		leave(says)
		return
	}
	holder, says := b.borrower(row.Texts["card"])
	item, ok := b.items[label]
	_, came := b.came["loans"][label]
	read := &reading{b: b, r: row}
	lent, due, dueAt, lost := read.instant("lent_at"), read.date("due_date"), read.instant("due_at"), read.instant("lost_at")
	switch {
	case says != "":
	case !ok:
		says = fmt.Sprintf("There is no item %s. Import stock first.", label)
	case !came && item.Place == "lent":
		says = "It is already on loan here."
	case !came && item.Place != "":
		says = "It is not available here: in transit, on a hold shelf or set aside. Resolve that first."
	case lent == nil:
		says = fmt.Sprintf("%q is not a date. Expected one such as 2026-05-31.", read.text("lent_at"))
	case lent.After(b.a.Now):
		says = "The loan date is in the future."
	case due == nil && dueAt == nil:
		says = "The due date is missing or cannot be read. Expected one such as 2026-05-31."
	}
	if says != "" {
		leave(says)
		return
	}
	if due != nil {
		dueAt = nil
	}
	renewals := read.count("renewals")
	if renewals == nil {
		renewals = new(0)
	}
	if lost != nil && !lost.After(*lent) {
		lost = nil
	}
	situation := rulebook.Situate(
		calendar.Code(read.text("branch")),
		calendar.Code(item.Branch),
		item.Collection,
		item.Material,
		holder.Class,
	)
	b.settle(from, 0, "loans", label, map[string]any{
		"item_id": item.ID, "title_id": item.TitleID, "patron_id": holder.ID, "branch_code": read.text("branch"),
		"situation": situation[:],
		"lent_at":   lent, "due_date": due, "due_at": dueAt, "renewals": renewals, "lost_at": lost,
	}, read, []any{holder.ID, lent, due, dueAt, renewals, lost})
}

// heldTitle is the title here that a line of holds means, and the item, where it is that one alone; 0: there is none.
func (b *batching) heldTitle(p *parsed, r *intake.Row) (title int64, only *int64) {
	if label := r.Texts["only_label"]; label != "" {
		item, ok := b.items[b.number(label)]
		if !ok {
			return 0, nil
		}
		return item.TitleID, &item.ID
	}
	if before, ok := b.came["titles"][b.ofTitle(&p.record, r)]; ok {
		return before.Ref, nil
	}
	if n, says := ident.ISBN(r.Texts["isbn"]); says == "" {
		return b.isbn[n], nil
	}
	return 0, nil
}

// heldNumber is by what a hold is known: nobody waits for a title twice.
func heldNumber(title, patron int64) string { return fmt.Sprintf("%d / %d", title, patron) }

// lookAtHolds asks which of the holds of some records came before, and which are open here.
func (b *batching) lookAtHolds(all []parsed) (err error) {
	var numbers []string
	var titles, patrons []int64
	for k := range all {
		for _, r := range all[k].rows {
			title, _ := b.heldTitle(&all[k], &r)
			if h, ok := b.holders[b.number(r.Texts["card"])]; ok && title != 0 {
				numbers = append(numbers, heldNumber(title, h.ID))
				titles, patrons = append(titles, title), append(patrons, h.ID)
			}
		}
	}
	if b.came["holds"], err = intakedb.CameBefore(b.a.Tx, b.source, "holds", numbers); err != nil {
		return err
	}
	b.held, err = intakedb.OpenHoldsAmong(b.a.Tx, titles, patrons)
	return err
}

func (b *batching) hold(from *parsed, row *intake.Row) {
	number := strings.Trim(b.ofTitle(&from.record, row)+" "+row.Texts["only_label"], " ") + " / " + b.number(row.Texts["card"])
	leave := func(says string) { b.left(from.line, 0, "holds", number, says, from.cells) }
	if says := row.Left(b.kind); says != "" {
		leave(says)
		return
	}
	holder, says := b.borrower(row.Texts["card"])
	title, only := b.heldTitle(from, row)
	_, came := b.came["holds"][heldNumber(title, holder.ID)]
	read := &reading{b: b, r: row}
	var shelved map[string]any
	if says == "" && title != 0 && !came && intake.Ready(queue.State(read.text("state")), read.text("label")) {
		shelved, says = b.ready(read, title, &holder)
	}
	switch {
	case says != "":
	case title == 0 && row.Texts["only_label"] != "":
		says = fmt.Sprintf("There is no item %s. Import stock first.", row.Texts["only_label"])
	case title == 0:
		says = "There is no such title. Import stock first."
	case !came && b.held[[2]int64{title, holder.ID}]:
		says = holder.Name + " already has a hold on this title."
	}
	if says != "" {
		leave(says)
		return
	}
	placed := read.instant("placed_at")
	if placed == nil {
		if text := read.text("placed_at"); text != "" {
			read.without("placed_at", text, "a date such as 2026-05-31")
		}
		placed = &b.a.Now
	}
	paused := read.date("paused_until")
	if paused != nil && *paused <= b.a.Today() {
		paused = nil // it waits again by now
	}
	ready := map[string]any{
		"title_id": title, "patron_id": holder.ID, "pickup": read.text("pickup"), "only_item": only, "placed_at": placed,
		"paused_until": paused, "rank": read.count("place"),
	}
	told := []any{read.text("pickup"), only, read.text("paused_until")}
	if intake.Ready(queue.State(read.text("state")), read.text("label")) {
		told = append(told, read.text("label"), read.text("shelf_until"))
		delete(ready, "paused_until")
		maps.Copy(ready, shelved)
	}
	b.settle(from, 0, "holds", heldNumber(title, holder.ID), ready, read, told)
}

// ready is what a hold says besides that stands on the hold shelf; says is why it cannot.
func (b *batching) ready(d *reading, title int64, h *intakedb.Holder) (shelved map[string]any, says string) {
	label := d.text("label")
	if label == "" {
		return nil, "It is ready, but no label of an item is given."
	}
	item, ok := b.items[b.number(label)]
	switch {
	case !ok:
		return nil, fmt.Sprintf("There is no item %s. Import stock first.", label)
	case item.TitleID != title:
		return nil, fmt.Sprintf("The item %s belongs to another title, %s.", label, item.Title)
	case item.Place == "lent":
		return nil, "Its item is on loan here."
	case item.Place != "" || item.Standing != circulation.ItemInUse:
		return nil, "Its item is not available here: in transit, on a hold shelf, set aside, missing or lost. Resolve that first."
	}
	since := d.instant("ready_at")
	if since == nil || since.After(b.a.Now) {
		since = &b.a.Now
	}
	pickup := calendar.Code(d.text("pickup"))
	at := rulebook.Situate(pickup, calendar.Code(item.Branch), item.Collection, item.Material, h.Class)
	terms := b.a.Book.Decide(at, nil)
	days := terms.Value(rulebook.HoldShelfDays).Number()
	branch, err := b.a.Network.Branch(pickup)
	if err != nil {
		return nil, err.Error()
	}
	until := queue.MovedIn(branch, d.date("shelf_until"), branch.Date(*since), b.a.Today(), days)
	slot := d.count("slot")
	if most := b.a.Network.Row(pickup).Slots; slot != nil && (*slot < 1 || *slot > most) {
		d.without("slot", d.text("slot"), fmt.Sprintf("one of %d", most))
		slot = nil
	}
	return map[string]any{"state": queue.Ready, "item_id": item.ID, "ready_at": since, "shelf_until": until, "slot": slot}, ""
}

// chargeNumber tells a charge from others: of whom, of when, what for; alike ones by their order.
func (b *batching) chargeNumber(r *intake.Row, seen map[string]int) string {
	number := strings.Join(
		[]string{b.number(r.Texts["card"]), r.Texts["charged_at"], r.Texts["about"], r.Texts["label"], r.Texts["text"]},
		" / ",
	)
	seen[number]++
	return fmt.Sprintf("%s / %d", number, seen[number])
}

func (b *batching) chargeNumbers(all []parsed) []string {
	seen := clone(b.seen)
	var out []string
	for k := range all {
		for _, r := range all[k].rows {
			out = append(out, b.chargeNumber(&r, seen))
		}
	}
	return out
}

func (b *batching) charge(from *parsed, row *intake.Row) {
	number := b.chargeNumber(row, b.seen)
	leave := func(says string) { b.left(from.line, 0, "balances", number, says, from.cells) }
	if says := row.Left(b.kind); says != "" {
		leave(says)
		return
	}
	holder, says := b.borrower(row.Texts["card"])
	read := &reading{b: b, r: row}
	amount := read.sum("left", "left_minor")
	switch {
	case says != "":
	case amount == nil:
		says = "The amount cannot be read. Expected one such as " + b.a.Network.Money.Format(1250) + "."
	case *amount == 0:
		says = "The amount is zero."
	}
	if says != "" {
		leave(says)
		return
	}
	at := read.instant("charged_at")
	if at == nil || at.After(b.a.Now) {
		at = &b.a.Now
	}
	about := read.text("about")
	if about == "" {
		about = string(ledger.AboutManual)
	}
	reason := read.text("text")
	if reason == "" && about == string(ledger.AboutManual) {
		reason = "Owed at " + b.source
	}
	var item *int64
	if i, ok := b.items[b.number(read.text("label"))]; ok {
		item = &i.ID
	}
	var branch *string
	if code := read.text("branch"); code != "" {
		branch = &code
	}
	b.settle(from, 0, "balances", number, map[string]any{
		"patron_id": holder.ID, "amount": amount, "about": about, "reason": reason, "at": at, "item_id": item,
		"branch_code": branch,
	}, read, []any{amount, holder.ID})
}
