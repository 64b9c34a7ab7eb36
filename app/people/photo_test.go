package people_test

import (
	"bytes"
	"fmt"
	"image"
	"image/jpeg"
	"image/png"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/people"
	"nevrin/core/role"
	"nevrin/store/peopledb"
	"nevrin/testkit"
)

func picture(t *testing.T, wide, high int, form string) []byte {
	t.Helper()
	var out bytes.Buffer
	img := image.NewGray(image.Rect(0, 0, wide, high))
	if form == "png" {
		require.NoError(t, png.Encode(&out, img))
	} else {
		require.NoError(t, jpeg.Encode(&out, img, nil))
	}
	return out.Bytes()
}

// A photograph stands on the record of who agrees to it, is seen by who may open the record, and goes with the agreement.
func TestPhotographs(t *testing.T) {
	w := testkit.NewWorld(t)
	here, boss, volunteer := w.Staff(role.Desk, "HVH"), w.Staff(role.Supervisor, "HVH"), w.Staff(role.Volunteer, "HVH")
	p, child := w.Patron("HVH"), w.Patron("HVH")
	w.Set("UPDATE patrons SET born = '2016-05-01' WHERE id = ?", child)
	take := func(patron int64, data []byte) (*people.Card, error) {
		return testkit.Try(w.House, here, func(a *act.Act) (*people.Card, error) {
			return people.TakePhoto(a, patron, people.Picture{Picture: data})
		})
	}
	see := func(who act.Actor, patron int64) (*peopledb.Photo, error) {
		return testkit.Try(w.House, who, func(a *act.Act) (*peopledb.Photo, error) { return people.Photo(a, patron) })
	}
	answer := func(who act.Actor, patron int64, is string) error {
		_, err := testkit.Try(w.House, who, func(a *act.Act) (*people.Card, error) {
			return people.Consent(a, patron, people.Consenting{Answers: []people.Agreed{{"photo", is}}, Reason: "Her letter", Letter: true})
		})
		return err
	}
	good := picture(t, 270, 360, "jpeg")
	_, err := take(p, good)
	assert.EqualError(t, err, "This network keeps no photographs of patrons.")
	w.Set(`UPDATE network SET version = version + 1, settings = settings || '{"counter": {"photos": true}}'`)

	for says, data := range map[string][]byte{
		"This picture cannot be read":                          []byte("GIF89a"),
		"is 1001 by 10 pixels":                                 picture(t, 1001, 10, "png"),
		"This picture is incomplete. Take or choose it again.": good[:len(good)/2],
		"kB. The limit is 300 kB":                              append(bytes.Clone(good), make([]byte, 300_000)...),
		"cannot be read. Use a JPEG":                           nil,
		"Use a JPEG or PNG file":                               bytes.Repeat([]byte{0xff, 0xd8}, 40),
	} {
		_, err := take(p, data)
		assert.ErrorContains(t, err, says)
	}
	card, err := take(p, good)
	require.NoError(t, err)
	assert.Contains(t, card.Picture, fmt.Sprintf("/api/patrons/%d/photo?of=", p))
	seen, err := see(here, p)
	require.NoError(t, err)
	assert.Equal(t, peopledb.Photo{Kind: "image/jpeg", Picture: good}, *seen)
	_, err = see(volunteer, p)
	assert.ErrorContains(t, err, "Your role opens patron records by card only. Scan the card first.")
	other := picture(t, 90, 120, "png")
	_, err = take(p, other)
	require.NoError(t, err)
	seen, err = see(here, p)
	require.NoError(t, err)
	assert.Equal(t, peopledb.Photo{Kind: "image/png", Picture: other}, *seen)

	_, err = take(child, good)
	assert.ErrorContains(t, err, "The guardian has to consent. Record their consent to photographs first.")
	require.NoError(t, answer(here, child, "yes"))
	_, err = take(child, good)
	require.NoError(t, err)
	require.NoError(t, answer(boss, child, "no"))
	_, err = see(here, child)
	assert.EqualError(t, err, "There is no such photograph.")
	assert.Equal(t, "1", w.Ask("SELECT count(*)::text FROM patron_photos"), "what is refused is not kept")
	_, err = take(child, good)
	assert.ErrorContains(t, err, "Photographs were refused. Record a new consent first.")

	drop := func() (*people.Card, error) {
		return testkit.Try(w.House, here, func(a *act.Act) (*people.Card, error) { return people.DropPhoto(a, p) })
	}
	card, err = drop()
	require.NoError(t, err)
	assert.Empty(t, card.Picture)
	_, err = drop()
	assert.EqualError(t, err, "There is no photograph on this record.")
	assert.Equal(t, "photo_taken photo_taken photo_dropped",
		w.Ask("SELECT string_agg(kind, ' ' ORDER BY id) FROM events WHERE patron_id = ? AND kind LIKE 'photo%'", p))
}
