package interlibrarydb

import (
	"context"

	"nevrin/store"
)

// Partner is a library outside the network.
type Partner struct {
	ID         int64
	Symbol     string
	Name       string
	SRUURL     string `gorm:"column:sru_url"`
	MessageURL string
	PatronID   int64
	Margin     int    // days before their date by which something of theirs is due here
	Days       int    // a parcel is on the way to them
	Way        string // post or courier
	Address    string // of their parcels
	Email      string // where requests go to whose system takes no messages
}

// Partners lists all partners by name.
func Partners(tx *store.Tx) ([]Partner, error) {
	var out []Partner
	return out, tx.ORM().Order("name").Find(&out).Error
}

// PartnerByID gives a partner; nil where there is none.
func PartnerByID(tx *store.Tx, id int64) (*Partner, error) {
	return partner(tx, "id = ?", id)
}

// PartnerBySecret gives the partner who knows a secret; nil where nobody does.
func PartnerBySecret(tx *store.Tx, secret string) (*Partner, error) {
	return partner(tx, "secret_digest = ?", store.Digest(secret))
}

func partner(tx *store.Tx, where string, arg any) (*Partner, error) {
	var p Partner
	err := tx.ORM().Where(where, arg).Take(&p).Error
	if store.NoRow(err) {
		return nil, nil
	}
	return &p, err
}

// PartnersAt writes under which address the partners of the demo are reached: their stand-ins have another one each
// time.
func PartnersAt(ctx context.Context, s *store.Store, base string) error {
	return s.ORM(ctx).
		Exec("UPDATE partners SET sru_url = ? || symbol || '/sru', message_url = ? || symbol || '/iso18626'", base, base).
		Error
}

// RecordsAt settles where a network asks for records of titles.
func RecordsAt(ctx context.Context, s *store.Store, name, address, covers string) error {
	return s.ORM(ctx).Exec(`UPDATE network SET version = version + 1, settings = settings || jsonb_build_object('records',
		jsonb_build_object('name', ?::text, 'address', ?::text, 'covers', ?::text))`, name, address, covers).Error
}

// PutPartner writes a partner. A new one has a secret that nobody knows, until it is given one.
func PutPartner(tx *store.Tx, p *Partner) {
	tx.QueueOne(`INSERT INTO partners (id, symbol, name, sru_url, message_url, patron_id, margin, days, way, address, email, secret_digest)
		VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, sha256(gen_random_uuid()::text::bytea))
		ON CONFLICT (id) DO UPDATE SET symbol = $2, name = $3, sru_url = $4, message_url = $5, margin = $7, days = $8, way = $9, address = $10, email = $11`,
		p.ID, p.Symbol, p.Name, p.SRUURL, p.MessageURL, p.PatronID, p.Margin, p.Days, p.Way, p.Address, p.Email)
}

// KeepPartnerSecret gives a partner a secret, of which only a digest is kept.
func KeepPartnerSecret(tx *store.Tx, id int64, secret string) {
	tx.QueueOne("UPDATE partners SET secret_digest = $2 WHERE id = $1", id, store.Digest(secret))
}

// DropPartner takes a partner away with whom nothing has been exchanged; the database refuses any other.
func DropPartner(tx *store.Tx, id int64) { tx.QueueOne("DELETE FROM partners WHERE id = $1", id) }

// PartnerWithSymbolBut gives the name of another partner with a symbol; empty where there is none.
func PartnerWithSymbolBut(tx *store.Tx, symbol string, but int64) (string, error) {
	return store.Value[string](tx, "SELECT name FROM partners WHERE symbol = $1 AND id <> $2", symbol, but)
}
