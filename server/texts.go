package server

import (
	"embed"
	"encoding/json"
	"net/http"
	"regexp"
	"slices"
	"strings"

	"golang.org/x/text/language"
	"golang.org/x/text/message"
	"golang.org/x/text/message/catalog"

	"nevrin/app/act"
	"nevrin/app/mine"
	"nevrin/core/speech"
)

// The texts of patrons' pages, and sentences that the program makes elsewhere, by language, in the form in which Go's gotext keeps them. English is
// what stands in the pages.
//
//go:embed texts/*.gotext.json
var textFiles embed.FS

// textFile is a file of texts.
type textFile struct {
	Language string `json:"language"`
	Messages []struct {
		ID          string `json:"id"`
		Translation string `json:"translation"`
	} `json:"messages"`
}

// texts writes patrons' pages in a language.
type texts struct {
	Language speech.Language
	printer  *message.Printer
	exact    map[string]string
	patterns []pattern
}

// pattern is a sentence with gaps, which the program fills in elsewhere.
type pattern struct {
	says *regexp.Regexp
	is   string
	bare int // how long it is without its gaps
}

// written are the texts of all languages.
var written = func() map[speech.Language]*texts {
	all := catalog.NewBuilder(catalog.Fallback(language.English))
	out := map[speech.Language]*texts{}
	for _, l := range speech.All {
		t := &texts{Language: l.Code, exact: map[string]string{}}
		out[l.Code] = t
		if l.Code == speech.English {
			continue
		}
		for _, m := range textsIn(l.Code, "").Messages {
			if err := all.SetString(language.Make(string(l.Code)), m.ID, m.Translation); err != nil {
				panic(err) // a file that ships with the program
			}
		}
		for _, m := range textsIn(l.Code, ".sentences").Messages {
			if !strings.Contains(m.ID, "%s") {
				t.exact[m.ID] = m.Translation
				continue
			}
			parts := strings.Split(m.ID, "%s")
			for k := range parts {
				parts[k] = regexp.QuoteMeta(parts[k])
			}
			t.patterns = append(t.patterns, pattern{regexp.MustCompile("^" + strings.Join(parts, "(.+?)") + "$"), m.Translation, len(strings.Join(parts, ""))})
		}
		// The one with the most words is tried first.
		slices.SortStableFunc(t.patterns, func(x, y pattern) int { return y.bare - x.bare })
	}
	for l, t := range out {
		t.printer = message.NewPrinter(language.Make(string(l)), message.Catalog(all))
	}
	return out
}()

// textsIn reads the texts of a language, or its sentences.
func textsIn(l speech.Language, part string) textFile {
	data, err := textFiles.ReadFile("texts/" + string(l) + part + ".gotext.json")
	if err != nil {
		panic(err)
	}
	var file textFile
	if err := json.Unmarshal(data, &file); err != nil {
		panic(err)
	}
	return file
}

// T gives a text of a page, with what stands in its gaps.
func (t *texts) T(text string, with ...any) string { return t.printer.Sprintf(text, with...) }

// Say gives a sentence of the program in the page's language. One that is not among the texts stays as it is.
func (t *texts) Say(sentence string) string {
	if is, ok := t.exact[sentence]; ok {
		return is
	}
	bare := strings.TrimSuffix(sentence, ".")
	end := sentence[len(bare):]
	if is, ok := t.exact[bare]; ok {
		return is + end
	}
	for _, p := range t.patterns {
		for _, try := range []struct{ text, end string }{{sentence, ""}, {bare, end}} {
			if m := p.says.FindStringSubmatch(try.text); m != nil {
				with := make([]any, len(m)-1)
				for k, part := range m[1:] {
					with[k] = t.Date(part)
				}
				// Another sentence stands at the end alone: before it are titles and names.
				with[len(with)-1] = t.Say(m[len(m)-1])
				return filled(p.is, with) + try.end
			}
		}
	}
	return t.Date(sentence)
}

// filled puts parts into the gaps of a translation, which may have them in another order (%[2]s).
func filled(text string, with []any) string {
	return message.NewPrinter(language.English).Sprintf(text, with...)
}

// The dates that the program writes in English: Tue 6 Oct, with its year or without; Tue Oct 6, 2026; and both with a time of day.
var (
	dated = regexp.MustCompile(`\b(Mon|Tue|Wed|Thu|Fri|Sat|Sun) (\d{1,2}) (Jan|Feb|Mar|Apr|May|Jun|Jul|Aug|Sep|Oct|Nov|Dec)\b|` +
		`\b(Mon|Tue|Wed|Thu|Fri|Sat|Sun) (Jan|Feb|Mar|Apr|May|Jun|Jul|Aug|Sep|Oct|Nov|Dec) (\d{1,2})\b`)
	days = map[speech.Language]map[string]string{speech.French: {
		"Mon": "lun.", "Tue": "mar.", "Wed": "mer.", "Thu": "jeu.", "Fri": "ven.", "Sat": "sam.", "Sun": "dim.",
	}}
	months = map[speech.Language]map[string]string{speech.French: {
		"Jan": "janv.", "Feb": "févr.", "Mar": "mars", "Apr": "avr.", "May": "mai", "Jun": "juin", "Jul": "juill.", "Aug": "août", "Sep": "sept.",
		"Oct": "oct.", "Nov": "nov.", "Dec": "déc.",
	}}
)

// Date gives a text with its dates in the page's language.
func (t *texts) Date(text string) string {
	if months[t.Language] == nil {
		return text
	}
	return dated.ReplaceAllStringFunc(text, func(date string) string {
		m := dated.FindStringSubmatch(date)
		day, number, month := m[1]+m[4], m[2]+m[6], m[3]+m[5]
		return days[t.Language][day] + " " + number + " " + months[t.Language][month]
	})
}

// Ordinal gives a number as a place in a queue.
func (t *texts) Ordinal(n int) string {
	if t.Language == speech.French {
		if n == 1 {
			return "1er"
		}
		return t.printer.Sprintf("%d", n) + "e"
	}
	return ordinal(n)
}

// languageCookie keeps the language that a browser has chosen.
const languageCookie = "nevrin_language"

// spoken is the language of a patron's page, and those that can be chosen.
type spoken struct {
	*texts
	Offered []offered // more than one, otherwise none
}

type offered struct {
	Code, Name string
	On         bool
}

// speaks gives the language of a page: the one just chosen, the patron's own, the browser's choice, or what the browser asks for (RFC 9110,
// 12.5.4), if the network has it; otherwise the network's first.
func (s *Server) speaks(w http.ResponseWriter, r *http.Request, own string) spoken {
	chosen := r.URL.Query().Get("language")
	if speech.Known(chosen) {
		http.SetCookie(w, &http.Cookie{Name: languageCookie, Value: chosen, Path: "/", HttpOnly: true, SameSite: http.SameSiteLaxMode,
			Secure: !s.options.Plain, MaxAge: 365 * 24 * 3600})
	}
	wanted := []string{chosen, own}
	if c, err := r.Cookie(languageCookie); err == nil {
		wanted = append(wanted, c.Value)
	}
	if tags, _, err := language.ParseAcceptLanguage(r.Header.Get("Accept-Language")); err == nil {
		for _, tag := range tags {
			base, _ := tag.Base()
			wanted = append(wanted, base.String())
		}
	}
	has, _ := act.Look(r.Context(), s.house, mine.Visitor, func(a *act.Act) ([]string, error) { return a.Network.Settled.Notices.Languages, nil })
	out := spoken{texts: written[speech.Choose(has, wanted...)]}
	if len(has) > 1 {
		for _, code := range has {
			out.Offered = append(out.Offered, offered{code, speech.Name(code), code == string(out.Language)})
		}
	}
	return out
}
