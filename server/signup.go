package server

import (
	"crypto/rand"
	_ "embed"
	"errors"
	"net/http"
	"strings"
	"time"

	"nevrin/app/act"
	"nevrin/app/problem"
	"nevrin/app/signups"
	"nevrin/core/calendar"
	"nevrin/core/door"
	"nevrin/core/person"
	"nevrin/store"
)

// The page on which people sign up by themselves. It is plain HTML, for a phone first, and needs no script: what is wrong
// comes back with what was written.

//go:embed signup.html
var signUpText string

var signUpPages = pages("sign-up", signUpText)

// signUpPath is where the page stands.
const signUpPath = "/sign-up"

// mostSignUps is how many forms one address sends in an hour at most; a family, or a school on one line, fits.
const mostSignUps = 30

// signUpForm is what the page shows.
type signUpForm struct {
	*signups.Form
	Key      string // of this form: sent twice, it is taken once
	Fields   []signUpField
	Branch   string
	NoBranch string // what is wrong with it
	Says     string // what is wrong with all of it
	Wrong    int
	Taken    *signups.Taken
	PINWrong string // what is wrong with the PIN that was chosen; it is never shown again
	Spoken   spoken
}

// signUpField is one field of the page.
type signUpField struct {
	Name, Label, Kind, Complete string
	Value, Wrong                string
	Must, Long                  bool
}

// signUpFields are the fields, in their order; those without a name of a need are always there.
var signUpFields = []struct {
	need person.Field
	signUpField
}{
	{"", signUpField{Name: "legal_name", Label: "Your name, as on your ID", Complete: "name", Must: true}},
	{person.PreferredName, signUpField{Name: "preferred_name", Label: "Preferred name", Complete: "nickname"}},
	{person.Born, signUpField{Name: "born", Label: "Birth date", Kind: "date", Complete: "bday"}},
	{person.Guardian, signUpField{Name: "guardian_name", Label: "Guardian, if you are under 18"}},
	{person.Email, signUpField{Name: "email", Label: "Email address", Kind: "email", Complete: "email"}},
	{person.Phone, signUpField{Name: "phone", Label: "Phone", Kind: "tel", Complete: "tel"}},
	{person.Address, signUpField{Name: "address", Label: "Street address", Complete: "street-address", Long: true}},
	{person.PostalCode, signUpField{Name: "postal_code", Label: "Postal code", Complete: "postal-code"}},
	{person.Town, signUpField{Name: "town", Label: "Town", Complete: "address-level2"}},
}

// visitorOf is who signs up: nobody yet.
var visitorOf = act.Actor{Name: "Nevrin", Role: act.Machine.Role}

func (s *Server) signUpForm(w http.ResponseWriter, r *http.Request) {
	f, err := s.emptyForm(w, r)
	if err != nil {
		s.signUpRefused(w, r, nil, err)
		return
	}
	s.showSignUp(w, http.StatusOK, f)
}

func (s *Server) emptyForm(w http.ResponseWriter, r *http.Request) (*signUpForm, error) {
	form, err := act.Look(r.Context(), s.house, visitorOf, signups.LookAtForm)
	if err != nil {
		return nil, err
	}
	f := &signUpForm{Form: form, Key: rand.Text(), Spoken: s.speaks(w, r, "")}
	for _, field := range signUpFields {
		one := field.signUpField
		if field.need != "" {
			need := form.Needs.Of(field.need)
			if need == person.Hidden {
				continue
			}
			one.Must = need == person.Must && field.need != person.Guardian
		}
		if one.Kind == "" {
			one.Kind = "text"
		}
		f.Fields = append(f.Fields, one)
	}
	return f, nil
}

// signUp takes in what somebody wrote. Whatever stands in the way, what was written comes back.
func (s *Server) signUp(w http.ResponseWriter, r *http.Request) {
	f, err := s.emptyForm(w, r)
	if err != nil {
		s.signUpRefused(w, r, nil, err)
		return
	}
	// Of what is sent no more is read than such a form has, whether it is one too many or not.
	tooMany := s.signUps.OnLimit(w, r, door.Client(s.address(r)))
	r.Body = http.MaxBytesReader(w, r.Body, maxForm)
	if err := r.ParseForm(); err != nil && !tooMany {
		s.signUpRefused(w, r, f, problem.Newf(problem.Invalid, "Your form could not be read. Fill it in again."))
		return
	}
	if key := r.PostForm.Get("key"); len(key) == len(f.Key) {
		f.Key = key
	}
	record, wrong := f.read(r)
	pin, again := strings.TrimSpace(r.PostForm.Get("pin")), strings.TrimSpace(r.PostForm.Get("pin_again"))
	if pin != again {
		wrong = append(wrong, person.Wrong{Field: signups.PINField, Says: "The two entries do not match. Enter the same twice."})
	}
	if tooMany {
		s.signUpRefused(w, r, f, problem.Newf(problem.TooOften,
			"Many have signed up from where you are. Try again in an hour, or come to any branch."))
		return
	}
	if len(wrong) == 0 {
		f.Taken, err = act.Do(
			r.Context(),
			s.house,
			visitorOf,
			"sign-up "+f.Key,
			record,
			func(a *act.Act) (*signups.Taken, error) {
				return signups.Come(a, record, pin)
			},
		)
		var fields signups.Wrong
		if errors.As(err, &fields) {
			wrong, err = fields, nil
		}
	}
	if err != nil {
		s.signUpRefused(w, r, f, err)
		return
	}
	status := http.StatusOK
	for _, one := range wrong {
		f.mark(one)
		status = http.StatusUnprocessableEntity
	}
	s.showSignUp(w, status, f)
}

// read reads the fields, keeping what was written for showing it again.
func (f *signUpForm) read(r *http.Request) (person.Record, []person.Wrong) {
	var wrong []person.Wrong
	record := person.Record{Branch: calendar.Code(strings.TrimSpace(r.PostForm.Get("branch"))), Language: string(f.Spoken.Language)}
	f.Branch = string(record.Branch)
	for k := range f.Fields {
		field := &f.Fields[k]
		text := strings.ToValidUTF8(strings.ReplaceAll(r.PostForm.Get(field.Name), "\x00", ""), "")
		if letters := []rune(text); len(letters) > longestField {
			wrong = append(wrong, person.Wrong{Field: person.Field(field.Name), Says: "This is too long."})
			text = string(letters[:longestField])
		}
		field.Value = text
		switch field.Name {
		case "legal_name":
			record.LegalName = text
		case "preferred_name":
			record.PreferredName = text
		case "guardian_name":
			record.GuardianName = text
		case "email":
			record.Email = text
		case "phone":
			record.Phone = text
		case "address":
			record.Address = text
		case "postal_code":
			record.PostalCode = text
		case "town":
			record.Town = text
		case "born":
			if strings.TrimSpace(text) == "" {
				continue
			}
			born, err := calendar.ParseDate(strings.TrimSpace(text))
			if err != nil {
				wrong = append(
					wrong,
					person.Wrong{
						Field: person.Born,
						Says:  "Enter the date as year-month-day, such as 1984-03-09.",
					},
				)
				continue
			}
			record.Born = &born
		}
	}
	return record, wrong
}

// longestField is how long what somebody writes into one field may be.
const longestField = 200

// mark shows beside a field what is wrong with it.
func (f *signUpForm) mark(w person.Wrong) {
	f.Wrong++
	name := string(w.Field)
	if w.Field == person.Guardian {
		name = "guardian_name"
	}
	for k := range f.Fields {
		if f.Fields[k].Name == name {
			f.Fields[k].Wrong = w.Says
			return
		}
	}
	if w.Field == signups.PINField {
		f.PINWrong = w.Says
		return
	}
	f.NoBranch = w.Says
}

func (s *Server) showSignUp(w http.ResponseWriter, status int, f *signUpForm) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	if err := signUpPages[f.Spoken.Language].Execute(w, f); err != nil {
		s.log.Warn("sign-up page", "error", err)
	}
}

// signUpRefused shows why nothing was taken, with what was written if it could be read.
func (s *Server) signUpRefused(w http.ResponseWriter, r *http.Request, f *signUpForm, err error) {
	status, says := http.StatusServiceUnavailable, "Something went wrong. Nothing was saved; try again in a moment."
	switch p := problem.Of(err); {
	case p != nil && p.Kind == problem.Repeated:
		status, says = http.StatusConflict, "This form was already sent with other details. The first version was saved. Tell the branch about changes, or reload the page for another person."
	case p != nil:
		status, says = statuses[p.Kind], p.Text
	default:
		s.log.WarnContext(r.Context(), "sign-up", "error", store.Written(err))
	}
	if f == nil {
		f = &signUpForm{Form: &signups.Form{}, Spoken: s.speaks(w, r, "")}
	}
	f.Says = says
	s.showSignUp(w, status, f)
}

// signUpWindow is over which time forms of one address are counted.
const signUpWindow = time.Hour

// signUpOperations look at who signed up by themselves.
func (s *Server) signUpOperations() {
	listing(s, "/sign-ups", "signUps", "People who signed up by themselves and wait", employed, inPages(signups.List))
	open(s, "/sign-ups/{id}", "signUp",
		"Somebody who signed up, as they wrote it, and who may be the same person", employed, byID(signups.One))
	do(s, http.MethodPost, "/sign-ups/{id}/taken", "takeSignUp", "Register somebody who signed up", employed, oneSent(signups.Take))
	type known struct {
		Patron int64 `json:"patron" doc:"Whose record it is"`
	}
	do(s, http.MethodPost, "/sign-ups/{id}/known", "signUpKnown", "Say that somebody who signed up has a record already", employed,
		func(a *act.Act, in *OneSent[known]) (*signups.SignUp, error) {
			return signups.Known(a, in.ID, in.Body.Patron)
		})
	type turning struct {
		Reason string `json:"reason" maxLength:"300"`
	}
	do(s, http.MethodPost, "/sign-ups/{id}/turned-down", "turnDown", "Turn somebody down who signed up", employed,
		func(a *act.Act, in *OneSent[turning]) (*signups.SignUp, error) {
			return signups.TurnDown(a, in.ID, in.Body.Reason)
		})
	do(s, http.MethodPost, "/sign-ups/{id}/again", "signUpAgain",
		"Let somebody wait again who was turned down", employed, one(signups.Again))
}
