package store

import (
	"context"
	"encoding/json"
	"reflect"
	"slices"
	"time"

	"github.com/jackc/pgx/v5/pgtype"
	"gorm.io/gorm/schema"

	"nevrin/core/calendar"
)

// DateOf reads a date column; nil stays nil.
func DateOf(t *time.Time) *calendar.Date {
	if t == nil {
		return nil
	}
	d := calendar.DateOf(t.UTC())
	return &d
}

// Column gives a date for a date column.
func Column(d calendar.Date) *time.Time {
	t := d.UTC()
	return &t
}

// texts reads and writes columns of texts as the driver decodes and encodes them.
type texts struct{}

var types = pgtype.NewMap()

func init() { schema.RegisterSerializer("texts", texts{}) }

// Scan reads the column.
func (texts) Scan(ctx context.Context, field *schema.Field, into reflect.Value, from any) error {
	var list []string
	if err := types.SQLScanner(&list).Scan(from); err != nil {
		return err
	}
	return field.Set(ctx, into, list)
}

// Value writes the column.
func (texts) Value(_ context.Context, _ *schema.Field, _ reflect.Value, value any) (any, error) {
	data, err := types.Encode(pgtype.TextArrayOID, pgtype.TextFormatCode, value, nil)
	if data == nil {
		return nil, err
	}
	return string(data), err
}

// JSON writes a value for a jsonb column; nil gives null.
func JSON[T any](v *T) json.RawMessage {
	if v == nil {
		return nil
	}
	data, err := json.Marshal(v)
	if err != nil {
		panic("store: plain data did not marshal: " + err.Error())
	}
	return data
}

// IDRow is a row of a list of which only the ids are asked.
type IDRow struct{ ID int64 }

// ColumnOrNil gives a date for a date column that may have none.
func ColumnOrNil(d *calendar.Date) *time.Time {
	if d == nil {
		return nil
	}
	return Column(*d)
}

// NotNil gives a list that the database takes for an empty one, not for NULL, where there is nothing in it.
func NotNil[T any](list []T) []T {
	if list == nil {
		return []T{}
	}
	return list
}

// Sorted gives ids in their order, each once.
func Sorted(ids []int64) []int64 {
	out := slices.Clone(ids)
	slices.Sort(out)
	return slices.Compact(out)
}
