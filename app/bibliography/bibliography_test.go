package bibliography_test

import (
	"bytes"
	"context"
	"fmt"
	"net"
	"net/http"
	"net/http/httptest"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/bibliography"
	"nevrin/core/role"
	"nevrin/core/settings"
	"nevrin/formats/marc"
	"nevrin/standin"
	"nevrin/store/interlibrarydb"
	"nevrin/testkit"
)

// asked asks the stand-in, over the network as any service would be asked.
func asked(t *testing.T, w *testkit.World, address, isbn string) *bibliography.Answer {
	t.Helper()
	require.NoError(t, interlibrarydb.RecordsAt(context.Background(), w.Store, "Coast Records", address, ""))
	here := w.Staff(role.Desk, "HVH")
	q, err := testkit.Try(w.House, here, func(a *act.Act) (*bibliography.Question, error) { return bibliography.Ask(a, isbn) })
	require.NoError(t, err)
	return q.Answer(context.Background(), w.House)
}

func TestAskingForRecords(t *testing.T) {
	w := testkit.NewWorld(t)
	w.Title("HVH", "HVH")
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	service := standin.NewRecords()
	ctx, stop := context.WithCancel(context.Background())
	defer stop()
	go service.Serve(ctx, l)
	base := "http://" + l.Addr().String() + "/"
	got := asked(t, w, base+"sru", service.ISBN(""))
	require.Len(t, got.Proposals, 1)
	p := got.Proposals[0]
	assert.Equal(t, []any{"The tide table reader", "Roswen Quist", 2026, "Lantern & Oar", "214 pages", "eng", "book", "general", false, "Coast Records rs000001"},
		[]any{p.Name, p.Author, *p.Year, p.Publisher, p.Extent, p.Language, p.Material, p.Collection, p.Another, p.Source})
	assert.Empty(t, got.Problem)

	another := asked(t, w, base+"sru", service.ISBN("answers with another title's record"))
	require.Len(t, another.Proposals, 1)
	assert.True(t, another.Proposals[0].Another, "it is said that this is somebody else's record")
	nameless := asked(t, w, base+"sru", service.ISBN("has a record without a title"))
	assert.Empty(t, nameless.Proposals[0].Name)
	assert.Empty(t, asked(t, w, base+"sru", "9789295055025").Proposals, "not known there")

	at := settings.Records{Covers: base + "covers/{isbn}.png"}
	cover, err := bibliography.FetchCover(ctx, w.House, at, service.ISBN(""))
	require.NoError(t, err)
	assert.Equal(t, "image/png", cover.Kind)
	cover, err = bibliography.FetchCover(ctx, w.House, at, service.ISBN("has no picture"))
	assert.NoError(t, err)
	assert.Nil(t, cover)
	_, err = http.Post(base+"down", "", nil)
	require.NoError(t, err)
	assert.Contains(t, asked(t, w, base+"sru", service.ISBN("")).Problem, "is not available (the system there answers 503")
	late := asked(t, w, base+"sru", service.ISBN("answers after ten seconds"))
	assert.NotEmpty(t, late.Problem)
}

// Whatever a service answers, who asked is told in a sentence what to do, and nothing is taken for a record that is none.
func TestServicesThatMisbehave(t *testing.T) {
	w := testkit.NewWorld(t)
	for says, body := range map[string]string{
		"no SRU response":  "<html>welcome",
		"are no MARCXML":   `<searchRetrieveResponse xmlns="http://www.loc.gov/zing/srw/"><records><record><recordSchema>dc</recordSchema><recordData><dc/></recordData></record></records></searchRetrieveResponse>`,
		"too many letters": `<searchRetrieveResponse xmlns="http://www.loc.gov/zing/srw/"><diagnostics><diagnostic xmlns="http://www.loc.gov/zing/srw/diagnostic/"><message>too many letters</message></diagnostic></diagnostics></searchRetrieveResponse>`,
	} {
		server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { _, _ = fmt.Fprint(w, body) }))
		got := asked(t, w, server.URL, "9789295055025")
		server.Close()
		assert.Contains(t, got.Problem, says)
		assert.Contains(t, got.Problem, "). Retry later, or enter the title by hand.")
		assert.Empty(t, got.Proposals)
	}
	w.Set("UPDATE network SET settings = settings - 'records', version = version + 1")
	here := w.Staff(role.Desk, "HVH")
	q, err := testkit.Try(w.House, here, func(a *act.Act) (*bibliography.Question, error) { return bibliography.Ask(a, "9789295055025") })
	require.NoError(t, err)
	assert.Contains(t, q.Answer(context.Background(), w.House).Problem, "No record service is set. Enter the title by hand, or have one set under Network, Settings.")
	_, err = testkit.Try(w.House, here, func(a *act.Act) (*bibliography.Question, error) { return bibliography.Ask(a, "9789295055026") })
	assert.ErrorContains(t, err, ": the check digit is wrong. Scan it again, or type it from the book.")
}

func TestFilesOfRecords(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	var file bytes.Buffer
	good := &marc.Record{Leader: marc.LeaderOfBook, Fields: []marc.Field{{Tag: "001", Value: "1"}, marc.Data("245", "00", "a", "Small ferries")}}
	require.NoError(t, good.Write(&file))
	file.WriteString("00099 nonsense\x1d")
	nameless := &marc.Record{Leader: marc.LeaderOfBook, Fields: []marc.Field{{Tag: "001", Value: "3"}}}
	require.NoError(t, nameless.Write(&file))
	require.NoError(t, good.Write(&file))
	got, err := testkit.Try(w.House, here, func(a *act.Act) (*bibliography.FromFile, error) { return bibliography.ReadFile(a, file.Bytes()) })
	require.NoError(t, err)
	assert.Len(t, got.Proposals, 2)
	require.Len(t, got.Odd, 2)
	assert.Contains(t, got.Odd[0], "record 2: ")
	assert.Contains(t, got.Odd[1], "record 3: it has no title")
	_, err = testkit.Try(w.House, here, func(a *act.Act) (*bibliography.FromFile, error) { return bibliography.ReadFile(a, []byte("card;name")) })
	assert.ErrorContains(t, err, "neither ISO 2709")
}

func TestPicturesThatAreNone(t *testing.T) {
	_, err := bibliography.ReadCover([]byte("<svg onload=alert(1)>"))
	assert.ErrorContains(t, err, "This picture cannot be shown. Use PNG or JPEG.")
	_, err = bibliography.ReadCover(make([]byte, 600_000))
	assert.ErrorContains(t, err, "Take a smaller one")
}
