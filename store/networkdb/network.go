package networkdb

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"nevrin/store"
	"nevrin/store/rulesdb"
)

// Network is the one row that describes the whole network.
type Network struct {
	One          bool `gorm:"primaryKey"`
	Name         string
	Currency     string
	Timezone     string
	FetchMinutes int
	Version      int64
	Settings     json.RawMessage `gorm:"type:jsonb;default:'{}'"`
	Numbers      json.RawMessage `gorm:"type:jsonb"`
	Symbol       string          `gorm:"default:'OURS'"` // ours towards partners
}

func (Network) TableName() string { return "network" }

// Rows of the network.

// NetworkRow gives the network's one row.
func NetworkRow(tx *store.Tx) (Network, error) {
	var n Network
	return n, tx.ORM().Take(&n).Error
}

// NetworkParts are the rows that a network is made of, each in their order.
type NetworkParts struct {
	Branches []Branch
	Runs     []Run
	Classes  []Class
	Choices  []Choice
	Stations []Station
	Plans    []Coded // of notices, where they differ from what is usual
	Wordings []Coded
}

// Parts gives the rows that the network is made of.
func Parts(tx *store.Tx) (NetworkParts, error) {
	var p NetworkParts
	return p, errors.Join(
		tx.ORM().Order("position, code").Find(&p.Branches).Error,
		tx.ORM().Order("position, id").Find(&p.Runs).Error,
		tx.ORM().Order("kind, position, code").Find(&p.Classes).Error,
		tx.ORM().Order("list, position, code").Find(&p.Choices).Error,
		tx.ORM().Order("branch_code, name").Find(&p.Stations).Error,
		tx.ORM().Table(string(Plans)).Order("code").Find(&p.Plans).Error,
		tx.ORM().Table(string(Wordings)).Order("code").Find(&p.Wordings).Error,
	)
}

// LockNetwork locks the network against other changes of calendars, and gives its version.
func LockNetwork(tx *store.Tx) (int64, error) {
	return store.Value[int64](tx, "SELECT version FROM network FOR UPDATE")
}

// HasNone refuses a database in which there is a network already, by its name.
func HasNone(ctx context.Context, s *store.Store) error { return hasNone(s.ORM(ctx)) }

func hasNone(db *gorm.DB) error {
	var names []string
	if err := db.Raw("SELECT name FROM network").Scan(&names).Error; err != nil || len(names) == 0 {
		return err
	}
	return fmt.Errorf("there is a network in this database already, “%s”; another one needs a database of its own", names[0])
}

// AddNetwork makes the network of an empty database, with its classes, branches, runs and first edition.
func AddNetwork(tx *store.Tx, n *Network, classes []Class, choices []Choice, branches []Branch, runs []Run, first *rulesdb.Edition) error {
	made := tx.ORM().Clauses(clause.OnConflict{DoNothing: true}).Create(n)
	if made.Error != nil {
		return made.Error
	}
	if made.RowsAffected == 0 {
		return hasNone(tx.ORM())
	}
	if len(classes) > 0 {
		if err := tx.ORM().Create(classes).Error; err != nil {
			return err
		}
	}
	if len(choices) > 0 {
		if err := tx.ORM().Create(choices).Error; err != nil {
			return err
		}
	}
	if len(branches) > 0 {
		if err := tx.ORM().Create(branches).Error; err != nil {
			return err
		}
	}
	if len(runs) > 0 {
		if err := tx.ORM().Create(runs).Error; err != nil {
			return err
		}
	}
	return tx.ORM().Create(first).Error
}

// Training tells whether there is a training clock.
func Training(tx *store.Tx) (bool, error) {
	return store.Value[bool](tx, "SELECT count(*) > 0 FROM training_clock")
}

// MoveClock moves the training clock forward; false where there is none.
func MoveClock(tx *store.Tx, by time.Duration) (bool, error) {
	moved, err := tx.Exec("UPDATE training_clock SET shows = shows + make_interval(secs => $1)", by.Seconds())
	return moved > 0, err
}

// KeepNumbers writes how numbers look.
func KeepNumbers(tx *store.Tx, data json.RawMessage) {
	tx.QueueOne("UPDATE network SET numbers = $1, version = version + 1", data)
}

// EachCard hands over the numbers of all cards, in parts, until look has seen enough; EachLabel those of all labels.
func EachCard(tx *store.Tx, look func([]string) (more bool)) error {
	return eachNumber(tx, "SELECT card FROM patrons WHERE card > $1 AND forgotten_at IS NULL ORDER BY card LIMIT $2", look)
}

// EachLabel hands over the numbers of all labels.
func EachLabel(tx *store.Tx, look func([]string) (more bool)) error {
	return eachNumber(tx, "SELECT barcode FROM items WHERE barcode > $1 ORDER BY barcode LIMIT $2", look)
}

func eachNumber(tx *store.Tx, query string, look func([]string) bool) error {
	last := ""
	for {
		var numbers []string
		q := &store.Questions{}
		store.AskEach(q, &numbers, query, last, numbersAtOnce)
		if err := tx.Send(q); err != nil || len(numbers) == 0 || !look(numbers) {
			return err
		}
		last = numbers[len(numbers)-1]
	}
}

// KeepNetwork writes the network's own name and symbol.
func KeepNetwork(tx *store.Tx, name, symbol string) {
	tx.QueueOne("UPDATE network SET name = $1, symbol = $2, version = version + 1", name, symbol)
}

// NextNumber gives the next place in the row of numbers that begin alike, and counts on.
func NextNumber(tx *store.Tx, begins string) (int64, error) {
	return store.Value[int64](tx, `INSERT INTO number_rows (begins, next) VALUES ($1, 2)
		ON CONFLICT (begins) DO UPDATE SET next = number_rows.next + 1 RETURNING next - 1`, begins)
}
