package measure_test

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/core/courier"
	"nevrin/core/routing"
	"nevrin/core/rulebook"
	"nevrin/formats/ical"
	"nevrin/formats/iso18626"
	"nevrin/formats/marc"
	"nevrin/formats/sheet"
	"nevrin/formats/sru"
	"nevrin/testkit/measure"
)

// filled repeats something between a beginning and an end until there are about so many bytes.
func filled(begin, again, end string) func(size int) []byte {
	return func(size int) []byte {
		return []byte(begin + strings.Repeat(again, max(size-len(begin)-len(end), 0)/len(again)+1) + end)
	}
}

// nested opens something again and again, then closes it as often.
func nested(begin, open, end, shut string) func(size int) []byte {
	return func(size int) []byte {
		n := size/(len(open)+len(shut)) + 1
		return []byte(begin + strings.Repeat(open, n) + strings.Repeat(shut, n) + end)
	}
}

// overlapping is a record of ISO 2709 whose directory names the same long field again and again.
func overlapping(size int) []byte {
	size = min(size, 99_000)
	field := strings.Repeat("a", 9000) + "\x1e"
	n := max((size-len(field))/12, 1)
	base := 24 + 12*n + 1
	all := base + len(field) + 1
	return fmt.Appendf(nil, "%05dnam a22%05d i 4500%s\x1e%s\x1d", all, base,
		strings.Repeat(fmt.Sprintf("500%04d%05d", len(field), 0), n), field)
}

func readMARC(data []byte) error {
	from, err := marc.Open(bytes.NewReader(data))
	for err == nil {
		var problem *marc.Problem
		if _, err = from.Next(); errors.As(err, &problem) {
			if len(problem.Says) > measure.Sentence {
				return problem
			}
			err = nil
		}
	}
	if errors.Is(err, io.EOF) {
		return nil
	}
	return err
}

func streamSheet(data []byte) error {
	from, err := sheet.Stream(bytes.NewReader(data))
	for err == nil {
		var wrong *sheet.Wrong
		if _, err = from.Next(); errors.As(err, &wrong) {
			err = nil
		}
	}
	if errors.Is(err, io.EOF) {
		return nil
	}
	return err
}

func readSRU(t *testing.T, data []byte) error {
	serving := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { _, _ = w.Write(data) }))
	defer serving.Close()
	_, err := sru.Search(t.Context(), serving.Client(), serving.URL, "tide")
	return err
}

// shape is a file that is bad for a reader, of about any size.
type shape struct {
	name string
	of   func(size int) []byte
}

// xmlShapes are bad for whatever reads XML with an outermost element.
func xmlShapes(begin, again, end string) []shape {
	return []shape{
		{"the same again and again", filled(begin, again, end)},
		{"nested elements", nested(begin, "<a>", end, "</a>")},
		{"elements left open", filled(begin, "<a>", "")},
		{"attributes", filled(begin[:len(begin)-1], ` a="b"`, ">"+end)},
		{"namespaces", filled(begin+"<a", ` xmlns:b="c"`, "/>"+end)},
		{"comments", filled(begin, "<!---->", end)},
		{"entities", filled(begin, "&amp;", end)},
		{"one long text", filled(begin+"<title>", "x", "</title>"+end)},
		{"no end of a tag", filled("<", "x", "")},
	}
}

func jsonShapes(begin, end string) []shape {
	return []shape{
		{"nested lists", nested("", "[", "", "]")},
		{"lists left open", filled("", "[", "")},
		{"many values", filled(begin+`"x":[`, "0,", "0]"+end)},
		{"empty objects", filled(begin+`"x":[`, "{},", "{}]"+end)},
		{"equal keys", filled(begin, `"a":0,`, `"a":0`+end)},
		{"one long text", filled(begin+`"x":"`, "x", `"`+end)},
		{"one long key", filled(begin+`"`, "x", `":0`+end)},
		{"a long format", filled(`{"format":"`, "x", `"}`)},
		{"a long number", filled(`{"format":1`, "0", `}`)},
	}
}

const (
	calendarBegin = "BEGIN:VCALENDAR\r\nVERSION:2.0\r\n"
	calendarEnd   = "END:VCALENDAR\r\n"
	sruBegin      = `<searchRetrieveResponse xmlns="http://www.loc.gov/zing/srw/"><records>`
)

// Whatever a file is like, its reader takes memory in proportion to its length, and refuses it in a sentence of bounded length.
// The figures are printed, so that the drill can show them.
func TestReadersTakeMemoryInProportion(t *testing.T) {
	if measure.Raced {
		t.Skip("memory says nothing under the race detector; scripts/test.sh runs this without it")
	}
	readers := []struct {
		name   string
		read   func([]byte) error
		shapes []shape
	}{
		{"calendar", func(d []byte) error { _, err := ical.Read(string(d), time.UTC); return err }, []shape{
			{"nested events", nested(calendarBegin, "BEGIN:VEVENT\r\n", calendarEnd, "END:VEVENT\r\n")},
			{"nested unknown parts", nested(calendarBegin, "BEGIN:X\r\n", calendarEnd, "END:X\r\n")},
			{"parts left open", filled(calendarBegin, "BEGIN:VEVENT\r\n", "")},
			{"parts folded and left open", filled(calendarBegin, "BEG\r\n IN:VEVENT\r\n", "")},
			{"events", filled(calendarBegin, "BEGIN:VEVENT\r\nDTSTART:20261225\r\nEND:VEVENT\r\n", calendarEnd)},
			{"properties", filled(calendarBegin+"BEGIN:VEVENT\r\n", "X:1\r\n", "END:VEVENT\r\n"+calendarEnd)},
			{"parameters", filled(calendarBegin+"BEGIN:VEVENT\r\nDTSTART", ";A=B", ":20261225\r\nEND:VEVENT\r\n"+calendarEnd)},
			{"folds", filled(calendarBegin+"SUMMARY:", "\r\n x", "\r\n"+calendarEnd)},
			{"a long name", filled(calendarBegin+"BEGIN:VEVENT\r\nDTSTART:20261225\r\nSUMMARY:", "x", "\r\nEND:VEVENT\r\n"+calendarEnd)},
			{"a long rule", filled(calendarBegin+"BEGIN:VEVENT\r\nDTSTART:20261225\r\nRRULE:", "x", "\r\nEND:VEVENT\r\n"+calendarEnd)},
			{"one line", filled("", "x", "")},
			{"a long date", filled(calendarBegin+"BEGIN:VEVENT\r\nDTSTART:", "x", "\r\nEND:VEVENT\r\n"+calendarEnd)},
		}},
		{"rulebook", func(d []byte) error { _, err := rulebook.Read(d); return err }, jsonShapes(`{"format":"nevrin-rulebook/1",`, "}")},
		{"courier", func(d []byte) error { _, err := courier.Read(d); return err }, jsonShapes(`{"format":"nevrin-courier/1",`, "}")},
		{"routing", func(d []byte) error { _, err := routing.Read(d); return err }, jsonShapes(`{"format":"nevrin-routing/1",`, "}")},
		{"ISO 2709", readMARC, []shape{
			{"fields over each other", overlapping},
			{"ends of records", filled("00026", "\x1d", "")},
			{"letters of MARC-8", filled("00100nam  2200025 i 4500", "\xe1a", "\x1e\x1d")},
			{"no end", filled("00100", "1", "")},
		}},
		{"MARCXML", readMARC, append(
			xmlShapes(`<collection xmlns="`+marc.Namespace+`">`, `<record><controlfield tag="001">1</controlfield></record>`, "</collection>"),
			xmlShapes(`<record xmlns="`+marc.Namespace+`">`, `<controlfield tag="001">1</controlfield>`, "</record>")...,
		)},
		{"SRU answer", func(d []byte) error { return readSRU(t, d) }, xmlShapes(sruBegin, "<record><recordData></recordData></record>", "</records></searchRetrieveResponse>")},
		{"ISO 18626", func(d []byte) error { _, err := iso18626.Read(bytes.NewReader(d)); return err },
			xmlShapes(`<ISO18626Message xmlns="`+iso18626.Namespace+`">`, "<request></request>", "</ISO18626Message>")},
		{"table", func(d []byte) error { _, err := sheet.Read(d); return err }, []shape{
			{"cells", filled("", ",", "")}, {"quotes", filled("", `"`, "")}, {"lines", filled("", "\n", "")},
			{"short records", filled("", "a\n", "")}, {"a quote left open", filled(`"`, "a\n", "")},
		}},
		{"table, streamed", streamSheet, []shape{
			{"cells", filled("", ",", "")}, {"quotes", filled("", `"`, "")}, {"lines", filled("", "\n", "")},
			{"short records", filled("", "a\n", "")}, {"a quote left open", filled(`"`, "a\n", "")},
		}},
	}
	for _, r := range readers {
		worst, of := 0.0, ""
		for _, s := range r.shapes {
			said := ""
			took := map[int]int64{}
			for _, size := range []int{50_000, 400_000} {
				data := s.of(size)
				took[size] = measure.Allocated(func() {
					if err := r.read(data); err != nil {
						said, _, _ = strings.Cut(err.Error(), "\n")
					}
				})
				assert.False(t, measure.Exceeded(took[size], len(data)), "%s, %s: %d bytes for %d", r.name, s.name, took[size], len(data))
				if perByte := float64(took[size]) / float64(len(data)); size == 400_000 && perByte > worst {
					worst, of = perByte, s.name
				}
			}
			assert.LessOrEqual(t, len(said), measure.Sentence, "%s, %s", r.name, s.name)
		}
		require.NotEmpty(t, of)
		t.Logf("memory for each byte: %-16s %6.1f (%s)", r.name, worst, of)
	}
}
