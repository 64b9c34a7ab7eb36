package notices

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/osteele/liquid"

	"nevrin/app/act"
	"nevrin/app/problem"
	"nevrin/core/person"
	"nevrin/core/plan"
	"nevrin/core/speech"
	"nevrin/formats/sms"
	"nevrin/store/noticesdb"
)

// WordingOf gives the wording of a network under a code; nil where there is none.
func WordingOf(a *act.Act, code string) *plan.Wording {
	if w, settled := a.Network.Wordings[code]; settled {
		return w
	}
	return usual[code]
}

// Codes gives the codes of all wordings of a network: the frame first, then kind by kind.
func Codes(a *act.Act) []string {
	var codes []string
	for code := range usual {
		codes = append(codes, code)
	}
	for code := range a.Network.Wordings {
		if usual[code] == nil {
			codes = append(codes, code)
		}
	}
	slices.SortFunc(codes, func(x, y string) int {
		if d := plan.Order(WordingOf(a, x).Kind) - plan.Order(WordingOf(a, y).Kind); d != 0 {
			return d
		}
		return strings.Compare(x, y)
	})
	return codes
}

// Field is something that a wording can name.
type Field struct {
	Name string `json:"name" doc:"As it stands in a wording, such as i.title"`
	Says string `json:"says" doc:"What it is"`
}

// The fields that every wording can use, those of the frame, those of notices about items, and those of notices about patrons.
var (
	always = []Field{
		{"name", "The name of who gets the message"},
		{"network", "The name of the library network"},
		{"branch", "The branch where it was lent or waits, or the patron's own"},
		{"branch_phone", "The branch's telephone number"},
		{"branch_address", "The branch's address"},
		{"owed", "What they owe, such as $4.50; empty if nothing"},
		{"page", "The address of the patrons' own page; empty if there is none"},
		{"count", "How many items in words: an item, 3 items"},
		{"number", "How many items, for {% if number == 1 %} … {% endif %}"},
		{"stop", "In emails that patrons can opt out of: the address to do so; otherwise empty"},
	}
	around  = []Field{{"text", "All that the message tells"}}
	ofItems = []Field{
		{"title", "The title of the first item"},
		{"until", "Until when the first one waits on the hold shelf"},
		{"list", "The first titles, shortened, for text messages"},
		{"items", "All items, for {% for i in items %} … {% endfor %}"},
		{"i.title", "The title"}, {"i.author", "The author; empty if unknown"}, {"i.barcode", "The item's number"},
		{"i.due", "When it is due, or was"}, {"i.until", "Until when it waits on the hold shelf"},
		{"i.branch", "Where it was lent or waits"}, {"i.for", "Whose it is, if not the recipient's"},
	}
	ofPatrons = []Field{{"card_until", "The last day of the card"}}
)

// Fields lists the fields that a wording of a kind can use; the empty kind is the frame.
func Fields(k plan.Kind) []Field {
	sort, ok := plan.SortOf(k)
	switch {
	case !ok:
		return slices.Concat(around, always)
	case sort.About == plan.AboutPatron:
		return slices.Concat(ofPatrons, always)
	}
	return slices.Concat(ofItems, always)
}

// longestMessage is the most bytes that a written message may have.
const longestMessage = 100_000

var engine = newEngine()

// newEngine gives the template library, with a filter that it has otherwise than Liquid's reference.
func newEngine() *liquid.Engine {
	e := liquid.NewEngine()
	e.RegisterFilter("capitalize", func(text string) string {
		first, size := utf8.DecodeRuneInString(text)
		if size == 0 {
			return ""
		}
		return string(unicode.ToUpper(first)) + strings.ToLower(text[size:])
	})
	return e
}

// ranges are loops over numbers, which could run without end.
var ranges = regexp.MustCompile(`\{%-?\s*(?:for|tablerow)\s[^%]*\([^)]*\.\.`)

// deepest is the most loops that may be nested.
const deepest = 2

var loops = regexp.MustCompile(`\{%-?\s*(for|endfor)\b`)

// write fills a template in.
func write(template string, with map[string]any) (string, error) {
	parsed, wrong := engine.ParseTemplateLocation([]byte(template), "", 1)
	if wrong != nil {
		return "", wrong
	}
	out := &bounded{}
	if wrong := parsed.FRender(out, with); wrong != nil {
		return "", wrong
	}
	if out.tooLong {
		return "", fmt.Errorf("the text becomes longer than %d characters", longestMessage)
	}
	return out.text.String(), nil
}

// bounded keeps up to longestMessage bytes and drops the rest. It returns no error, since the template library panics on one.
type bounded struct {
	text    strings.Builder
	tooLong bool
}

func (b *bounded) Write(p []byte) (int, error) {
	if b.text.Len()+len(p) > longestMessage {
		b.tooLong = true
		return len(p), nil
	}
	return b.text.Write(p)
}

// The tags and filters that wordings may use. None of them counts, stores or multiplies text, so every template ends quickly.
var (
	tags = []string{"if", "elsif", "else", "endif", "unless", "endunless", "case", "when", "endcase", "for", "endfor", "break", "continue",
		"comment", "endcomment", "raw", "endraw"}
	filtersOf = []string{"append", "capitalize", "default", "downcase", "first", "join", "last", "prepend", "size", "strip", "truncate",
		"truncatewords", "upcase"}
	tag    = regexp.MustCompile(`\{%-?\s*(\w*)`)
	filter = regexp.MustCompile(`\|\s*(\w+)`)
)

// CheckWording returns what is wrong with a wording. Its templates are tried on an invented case of its kind.
func CheckWording(w *plan.Wording) error {
	if err := w.Check(); err != nil {
		return problem.From(problem.Invalid, err)
	}
	for language, text := range w.Texts {
		if !speech.Known(language) {
			return problem.Newf(problem.Invalid, "Nevrin does not write the language %q. Choose en or fr.", language)
		}
		if says := wrongIn(w.Kind, text); says != "" {
			return problem.Newf(problem.Invalid, "%s: %s", speech.Name(language), says)
		}
	}
	return nil
}

// wrongIn gives what is wrong with the texts of a wording in a language; empty: nothing.
func wrongIn(k plan.Kind, text plan.Text) string {
	for _, part := range []struct{ name, template string }{
		{"subject", text.Subject}, {"text", text.Body}, {"text message", text.Short}, {"telephone text", text.Spoken},
	} {
		if _, err := try(part.template, example(k)); err != nil {
			return fmt.Sprintf("The %s: %s", part.name, err)
		}
	}
	switch {
	case text.Subject == "" || text.Body == "":
		return "Enter a subject and a text."
	case strings.ContainsAny(text.Subject, "\r\n"):
		return "The subject has more than one line. Enter one line."
	}
	return ""
}

// try fills a template in. Its error names the line.
func try(template string, with map[string]any) (string, error) {
	if at := ranges.FindStringIndex(template); at != nil {
		return "", fmt.Errorf("line %d: loops over numbers are not possible; use {%% for i in items %%}", lineOf(template, at[0]))
	}
	for _, at := range tag.FindAllStringSubmatchIndex(template, -1) {
		if name := template[at[2]:at[3]]; !slices.Contains(tags, name) {
			return "", fmt.Errorf("line %d: %q is not possible here. Possible are %s", lineOf(template, at[0]), name, strings.Join(tags, ", "))
		}
	}
	for _, at := range filter.FindAllStringSubmatchIndex(onlyMarks(template), -1) {
		if name := template[at[2]:at[3]]; !slices.Contains(filtersOf, name) {
			return "", fmt.Errorf("line %d: there is no filter %q. Filters are %s", lineOf(template, at[0]), name, strings.Join(filtersOf, ", "))
		}
	}
	if err := names(template, with); err != nil {
		return "", err
	}
	for _, at := range conditions.FindAllStringSubmatchIndex(template, -1) {
		if says := wrongCondition(quoted.ReplaceAllString(template[at[2]:at[3]], "''")); says != "" {
			return "", fmt.Errorf("line %d: %s", lineOf(template, at[0]), says)
		}
	}
	depth := 0
	for _, at := range loops.FindAllStringSubmatchIndex(template, -1) {
		if strings.HasPrefix(template[at[2]:at[3]], "end") {
			depth--
		} else if depth++; depth > deepest {
			return "", fmt.Errorf("line %d: not more than %d loops can stand in each other", lineOf(template, at[0]), deepest)
		}
	}
	says, err := write(template, with)
	if err == nil {
		return says, nil
	}
	line := 1
	var at liquid.SourceError
	if errors.As(err, &at) {
		line = max(1, at.LineNumber())
	}
	return "", fmt.Errorf("line %d: %s", line, sayWrong(err))
}

// wrongCondition says what is wrong with a condition whose quoted texts were emptied; empty: nothing.
func wrongCondition(says string) string {
	if and.MatchString(says) && or.MatchString(says) {
		return `one condition can use "and" or "or", not both; split it in two`
	}
	for _, part := range or.Split(and.ReplaceAllString(says, "or"), -1) {
		if name := strings.TrimSpace(part); bare.MatchString(name) && !strings.HasPrefix(name, "forloop.") && !slices.Contains(spoken, name) {
			return fmt.Sprintf(`this is always true, because even an empty field counts; write {%% if %s != "" %%}`, name)
		}
	}
	return ""
}

func lineOf(template string, at int) int { return 1 + strings.Count(template[:at], "\n") }

// The parts of a template: marks are fields and tags; quoted texts, filters and names stand in them; spoken are the words of tags.
var (
	marks   = regexp.MustCompile(`(?s)\{\{-?(.*?)-?\}\}|\{%-?\s*(\w+)(.*?)-?%\}`)
	quoted  = regexp.MustCompile(`"[^"]*"|'[^']*'`)
	filters = regexp.MustCompile(`\|\s*\w+|\w+:`)
	named   = regexp.MustCompile(`[A-Za-z_][\w-]*(?:\.[\w-]+)*`)
	spoken  = []string{"and", "or", "contains", "true", "false", "nil", "in", "limit", "offset", "reversed"}
	// The library takes and and or in another order than Liquid's reference.
	conditions = regexp.MustCompile(`(?s)\{%-?\s*(?:if|elsif|unless)\b(.*?)-?%\}`)
	and, or    = regexp.MustCompile(`\band\b`), regexp.MustCompile(`\bor\b`)
	bare       = regexp.MustCompile(`^[\w.-]+$`)
	assigned   = regexp.MustCompile(`\{%-?\s*for\s+([\w-]+)\s+in\s+(\S+)`)
)

// onlyMarks blanks out all text but fields and tags, so that positions stay the same.
func onlyMarks(template string) string {
	out := []byte(strings.Repeat(" ", len(template)))
	for _, at := range marks.FindAllStringIndex(template, -1) {
		copy(out[at[0]:at[1]], quoted.ReplaceAllStringFunc(template[at[0]:at[1]], func(s string) string { return strings.Repeat(" ", len(s)) }))
	}
	return string(out)
}

// names returns an error for the first unknown field in a template, with its line.
func names(template string, with map[string]any) error {
	known := map[string]bool{"forloop": true}
	var fields, ofItem []string
	for name, value := range with {
		known[name] = true
		fields = append(fields, name)
		if items, ok := value.([]map[string]any); ok && len(items) > 0 {
			for field := range items[0] {
				ofItem = append(ofItem, field)
			}
		}
	}
	loops := map[string]bool{}
	for _, m := range assigned.FindAllStringSubmatch(template, -1) {
		known[m[1]] = true
		loops[m[1]] = loops[m[1]] || m[2] == "items"
	}
	for _, at := range marks.FindAllStringSubmatchIndex(template, -1) {
		inside := ""
		switch {
		case at[2] >= 0:
			inside = template[at[2]:at[3]]
		case slices.Contains([]string{"if", "elsif", "unless", "case", "when", "for"}, template[at[4]:at[5]]):
			inside = template[at[6]:at[7]]
		}
		for _, name := range named.FindAllString(filters.ReplaceAllString(quoted.ReplaceAllString(inside, " "), " "), -1) {
			root, field, dotted := strings.Cut(name, ".")
			switch {
			case slices.Contains(spoken, name):
			case !known[root]:
				slices.Sort(fields)
				return fmt.Errorf("line %d: there is no field %q. Fields here are %s", lineOf(template, at[0]), name, strings.Join(fields, ", "))
			case dotted && loops[root] && !slices.Contains(ofItem, field):
				slices.Sort(ofItem)
				return fmt.Errorf("line %d: an item has no field %q. It has %s", lineOf(template, at[0]), field, strings.Join(ofItem, ", "))
			}
		}
	}
	return nil
}

// sayWrong shortens an error of the template library.
func sayWrong(err error) string {
	says := err.Error()
	if _, rest, found := strings.Cut(says, ": "); found && strings.HasPrefix(says, "Liquid error") {
		says = rest
	}
	return says + "."
}

// example is an invented case to try a wording on.
func example(k plan.Kind) map[string]any {
	item := map[string]any{
		"title": "The tide tables", "author": "Rowan Ferrier", "barcode": "30017000000012", "due": "Tue 6 Oct 2026", "until": "Tue 13 Oct 2026",
		"branch": "Havenhead", "for": "",
	}
	with := map[string]any{
		"name": "Ada Quill", "network": "Orrin Sound Libraries", "branch": "Havenhead", "branch_phone": "555 0100",
		"branch_address": "1 Quay Street", "owed": "$4.50", "page": "https://library.example/mine", "count": "2 items",
		"number": 2, "stop": "",
	}
	switch sort, ok := plan.SortOf(k); {
	case !ok:
		with["text"] = "This is overdue:\n\n  The tide tables, Rowan Ferrier\n"
	case sort.About == plan.AboutPatron:
		with["card_until"] = "Tue 20 Oct 2026"
	default:
		with["title"], with["until"], with["items"] = item["title"], item["until"], []map[string]any{item, item}
		with["list"] = "The tide tables, The tide tables"
	}
	return with
}

// Tried is a wording filled in with a case.
type Tried struct {
	Subject string     `json:"subject"`
	Body    string     `json:"body"`
	Short   string     `json:"short" doc:"As a text message, with what stands around it"`
	Length  sms.Length `json:"length" doc:"Of the text message"`
	Spoken  string     `json:"spoken" doc:"As it is said on the telephone"`
	About   string     `json:"about" doc:"Whose case it is"`
	Problem string     `json:"problem" doc:"What is wrong with the wording, if anything"`
}

// Trying is a wording that is tried in a language.
type Trying struct {
	Kind     plan.Kind `json:"kind" doc:"Empty: the frame"`
	Language string    `json:"language" maxLength:"2"`
	Text     plan.Text `json:"text"`
}

// Try fills a wording in with the last real case of its kind, or an invented one if there is none.
func Try(a *act.Act, t Trying) (*Tried, error) {
	if _, ok := plan.SortOf(t.Kind); !ok && t.Kind != "" {
		return nil, problem.Newf(problem.Invalid, "There is no kind of notices %q.", t.Kind)
	}
	out := &Tried{About: "an invented case"}
	if out.Problem = wrongIn(t.Kind, t.Text); out.Problem != "" {
		return out, nil
	}
	with := example(t.Kind)
	speaks := Speech(a, t.Language)
	told, err := noticesdb.Latest(a.Tx, t.Kind)
	if err != nil {
		return nil, err
	}
	if len(told) > 0 {
		people, err := noticesdb.Recipients(a.Tx, []int64{told[0].RecipientID})
		if err != nil {
			return nil, err
		}
		with, out.About = fieldsOf(a, speaks, &people[0], told), nameOf(&people[0])
	}
	wording := &plan.Wording{Kind: t.Kind, Texts: map[string]plan.Text{string(speaks.Language): t.Text}}
	around := WordingOf(a, plan.Frame)
	for _, part := range []struct {
		into   *string
		text   string
		around string
	}{
		{&out.Subject, t.Text.Subject, ""}, {&out.Body, t.Text.Body, ""},
		{&out.Short, bodyOf(wording, speaks.Language, person.ByText), bodyOf(around, speaks.Language, person.ByText)},
		{&out.Spoken, bodyOf(wording, speaks.Language, person.ByPhone), bodyOf(around, speaks.Language, person.ByPhone)},
	} {
		says, err := write(part.text, with)
		if err == nil && part.around != "" && t.Kind != "" {
			with["text"] = says
			says, err = write(part.around, with)
		}
		if err != nil {
			out.Problem = err.Error()
			return out, nil
		}
		*part.into = says
	}
	out.Short, out.Spoken = sms.Plain(oneLine(out.Short)), oneLine(out.Spoken)
	out.Length = sms.Count(out.Short)
	return out, nil
}
