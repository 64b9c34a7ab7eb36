package server

import (
	"crypto/rand"
	_ "embed"
	"errors"
	"html/template"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"nevrin/app/act"
	"nevrin/app/keeping"
	"nevrin/app/mine"
	"nevrin/app/notices"
	"nevrin/app/people"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/door"
	"nevrin/core/money"
	"nevrin/core/person"
	"nevrin/core/queue"
	"nevrin/core/speech"
	"nevrin/store"
)

// The patron's own page: plain HTML, for a phone first, and without scripts. What it does is sent as forms; each has a key of its own,
// so that a doubled click counts once, and after it the page is asked for anew and says what came of it.

//go:embed mine.html
var mineText string

var minePages = pages("mine", mineText)

// pages are a page in all languages.
func pages(name, text string) map[speech.Language]*template.Template {
	out := map[speech.Language]*template.Template{}
	for l, t := range written {
		out[l] = template.Must(template.New(name).Funcs(template.FuncMap{
			"waits": func(s queue.State) bool { return s == queue.Waiting },
			"deref": func(n *int) int { return *n },
			"t":     t.T, "say": t.Say, "ordinal": t.Ordinal,
		}).Parse(text))
	}
	return out
}

const (
	minePath   = "/mine"
	findPath   = "/find"
	mineCookie = "nevrin_mine"
	// knownCookie is by what a browser is known in which a patron has signed in before.
	knownCookie = "nevrin_known"
)

// mineView is what the page shows: the door, what is theirs, or what was found.
type mineView struct {
	Network string
	Path    string
	Says    string
	Bad     bool
	Card    string // as it was written at the door
	Key     string
	Mine    *mine.Mine
	Words   string
	Found   *mine.Found
	Title   *mine.Title
	SignUp  bool
	After   string
	Stop    string // what the link to opt out says, on the page that asks whether to
	Spoken  spoken
	own     string // the language that the patron has chosen
	speaks  speech.Speech
	money   money.Currency
}

// Money writes a sum, which is given in figures.
func (v *mineView) Money(figures string) string {
	sum, err := v.money.Parse(figures)
	if err != nil {
		return figures
	}
	return v.speaks.Money(sum)
}

func (s *Server) mineRoutes(r chi.Router) {
	r.Use(s.publicBounded(func(w http.ResponseWriter, r *http.Request, err error) {
		s.mineRefused(w, r, &mineView{}, err)
	}))
	r.Get(minePath, s.mine)
	r.Post(minePath+"/sign-in", s.mineSignIn)
	r.Post(minePath+"/sign-out", s.mineSignOut)
	r.Get(minePath+"/everything.json", s.mineEverything)
	r.Get(minePath+"/stop/{link}", s.mineStop)
	r.Post(minePath+"/stop/{link}", s.mineStop)
	r.Get(findPath, s.mineFind)
	r.Get(findPath+"/{title}", s.mineFind)
	for path, change := range map[string]func(*act.Act, int64, form) (string, error){
		"renew": func(a *act.Act, patron int64, f form) (string, error) { return mine.Renew(a, patron, f.id("loan")) },
		"renew-for": func(a *act.Act, patron int64, f form) (string, error) {
			return mine.RenewFor(a, patron, f.id("child"), f.id("loan"))
		},
		"cancel": func(a *act.Act, patron int64, f form) (string, error) { return mine.Cancel(a, patron, f.id("hold")) },
		"pause": func(a *act.Act, patron int64, f form) (string, error) {
			until, err := f.date("until")
			if err != nil {
				return "", err
			}
			return mine.Pause(a, patron, f.id("hold"), until)
		},
		"pickup": func(a *act.Act, patron int64, f form) (string, error) {
			return mine.Pickup(a, patron, f.id("hold"), calendar.Code(f("branch")))
		},
		"hold": func(a *act.Act, patron int64, f form) (string, error) {
			return mine.Hold(a, patron, f.id("title"), calendar.Code(f("branch")))
		},
		"ways": func(a *act.Act, patron int64, f form) (string, error) {
			_, err := people.ChooseWays(a, patron, people.Ways{HoldReady: person.Way(f("hold_ready")),
				Overdue: person.Way(f("overdue"))})
			if err == nil && f("language") != "" {
				err = people.ChooseLanguage(a, patron, f("language"))
			}
			return "Saved.", err
		},
		"history": func(a *act.Act, patron int64, f form) (string, error) {
			var kept *int
			if months := strings.TrimSpace(f("months")); months != "" {
				n, err := strconv.Atoi(months)
				if err != nil || n < 0 || n > 1200 {
					return "", problem.Newf(problem.Invalid, "Months are a number from 0 to 1200.")
				}
				kept = &n
			}
			return mine.History(a, patron, kept, f("seen") == "yes")
		},
	} {
		r.Post(minePath+"/"+path, s.mineDo(path, change))
	}
	r.Post(minePath+"/pin", s.minePIN)
}

// publicBounded bounds how often one client asks for pages of patrons.
func (s *Server) publicBounded(refused func(http.ResponseWriter, *http.Request, error)) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if s.mines.OnLimit(w, r, door.Client(s.address(r))) {
				refused(w, r, problem.Newf(problem.TooOften, "Many ask from where you are. Try again in a minute."))
				return
			}
			next.ServeHTTP(w, r)
		})
	}
}

// form gives what a form says, by name.
type form func(name string) string

func (f form) id(name string) int64 {
	n, _ := strconv.ParseInt(f(name), 10, 64)
	return n
}

func (f form) date(name string) (*calendar.Date, error) {
	text := strings.TrimSpace(f(name))
	if text == "" {
		return nil, nil
	}
	d, err := calendar.ParseDate(text)
	if err != nil {
		return nil, problem.Newf(problem.Invalid, "Enter the date as year-month-day, such as 2026-12-31.")
	}
	return &d, nil
}

// formOf reads a form; what no text can hold is left out.
func formOf(w http.ResponseWriter, r *http.Request) (form, error) {
	r.Body = http.MaxBytesReader(w, r.Body, maxForm)
	if err := r.ParseForm(); err != nil {
		return nil, problem.Newf(problem.Invalid, "Your request could not be read. Try again.")
	}
	return func(name string) string {
		text := strings.ReplaceAll(r.PostForm.Get(name), "\x00", "")
		return strings.ToValidUTF8(text[:min(len(text), longestText)], "")
	}, nil
}

const (
	maxForm      = 16 << 10
	longestText  = 400
	longestWords = 200
	// mostMine is how many pages one address asks for in a minute at most; a school on one line fits.
	mostMine = 300
)

func tokenOf(r *http.Request) string {
	c, err := r.Cookie(mineCookie)
	if err != nil {
		return ""
	}
	return c.Value
}

// stay keeps a session in the browser; without a token it ends there.
func (s *Server) stay(w http.ResponseWriter, token string) {
	c := &http.Cookie{Name: mineCookie, Value: token, Path: "/", HttpOnly: true, SameSite: http.SameSiteLaxMode,
		Secure: !s.options.Plain}
	if token == "" {
		c.MaxAge = -1
	}
	http.SetCookie(w, c)
}

// deviceOf is what a browser was given when a patron signed in with it; empty: nothing that could be ours.
func deviceOf(r *http.Request) string {
	c, err := r.Cookie(knownCookie)
	if err != nil || len(c.Value) > 2*len(rand.Text()) {
		return ""
	}
	return c.Value
}

// know gives a browser what it is known by from now on. It signs nobody in: with it others' wrong tries do not count.
func (s *Server) know(w http.ResponseWriter, device string) {
	http.SetCookie(w, &http.Cookie{Name: knownCookie, Value: device, Path: minePath, HttpOnly: true,
		SameSite: http.SameSiteStrictMode, Secure: !s.options.Plain, MaxAge: int((365 * 24 * time.Hour).Seconds())})
}

func (s *Server) mine(w http.ResponseWriter, r *http.Request) {
	session, err := mine.Enter(r.Context(), s.house, tokenOf(r))
	if err != nil {
		s.mineRefused(w, r, &mineView{}, err)
		return
	}
	if session == nil {
		v := &mineView{}
		if tokenOf(r) != "" {
			v.Says = "You were signed out because you were inactive. Sign in again."
			s.stay(w, "")
		}
		s.showMine(w, r, http.StatusOK, v)
		return
	}
	m, err := act.Look(r.Context(), s.house, session.Who, func(a *act.Act) (*mine.Mine, error) {
		return mine.Look(a,
			session.PatronID)
	})
	if err != nil {
		s.mineRefused(w, r, &mineView{}, err)
		return
	}
	s.showMine(w, r, http.StatusOK, &mineView{Mine: m, Says: session.Says, Bad: session.Bad})
}

func (s *Server) mineSignIn(w http.ResponseWriter, r *http.Request) {
	f, err := formOf(w, r)
	if err != nil {
		s.mineRefused(w, r, &mineView{}, err)
		return
	}
	entered, err := mine.SignIn(r.Context(), s.house, mine.Entering{
		Address: s.address(r), Card: f("card"), PIN: strings.TrimSpace(f("pin")), Device: deviceOf(r),
	})
	if err != nil {
		s.mineRefused(w, r, &mineView{Card: f("card")}, err)
		return
	}
	s.stay(w, entered.Token)
	s.know(w, entered.Device)
	http.Redirect(w, r, minePath, http.StatusSeeOther)
}

func (s *Server) mineSignOut(w http.ResponseWriter, r *http.Request) {
	if err := mine.SignOut(r.Context(), s.house, tokenOf(r)); err != nil {
		s.mineRefused(w, r, &mineView{}, err)
		return
	}
	s.stay(w, "")
	http.Redirect(w, r, minePath, http.StatusSeeOther)
}

// mineDo does what a form asks for, for who is signed in, and lets the page say what came of it.
func (s *Server) mineDo(name string, change func(*act.Act, int64, form) (string, error)) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		session, f, ok := s.enterMine(w, r)
		if !ok {
			return
		}
		key := ""
		if given := f("key"); len(given) >= len(rand.Text()) && len(given) < 2*len(rand.Text()) {
			key = "mine " + strconv.FormatInt(session.PatronID, 10) + " " + name + " " + given
		}
		asked := r.PostForm.Encode()
		says, err := act.Do(r.Context(), s.house, session.Who, key, asked, func(a *act.Act) (string, error) {
			return change(a, session.PatronID, f)
		})
		s.mineSays(w, r, tokenOf(r), says, err)
	}
}

// enterMine gives who is signed in and what they sent; otherwise it has answered.
func (s *Server) enterMine(w http.ResponseWriter, r *http.Request) (*mine.Session, form, bool) {
	f, err := formOf(w, r)
	if err != nil {
		s.mineRefused(w, r, &mineView{}, err)
		return nil, nil, false
	}
	session, err := mine.Enter(r.Context(), s.house, tokenOf(r))
	if err != nil {
		s.mineRefused(w, r, &mineView{}, err)
		return nil, nil, false
	}
	if session == nil {
		http.Redirect(w, r, minePath, http.StatusSeeOther)
		return nil, nil, false
	}
	return session, f, true
}

// mineSays lets the page say what came of something, and goes there.
func (s *Server) mineSays(w http.ResponseWriter, r *http.Request, token, says string, err error) {
	bad := err != nil
	if bad {
		if says = s.sayMine(r, err); says == "" {
			return
		}
	}
	if err := mine.Say(r.Context(), s.house, token, says, bad); err != nil {
		s.mineRefused(w, r, &mineView{}, err)
		return
	}
	http.Redirect(w, r, minePath, http.StatusSeeOther)
}

func (s *Server) minePIN(w http.ResponseWriter, r *http.Request) {
	session, f, ok := s.enterMine(w, r)
	if !ok {
		return
	}
	token, says := tokenOf(r), "Your PIN has been changed."
	var err error
	if strings.TrimSpace(f("is")) != strings.TrimSpace(f("again")) {
		err = problem.Newf(problem.Invalid, "The two PINs do not match. Nothing was changed.")
	} else {
		var next string
		e := mine.Entering{Address: s.address(r), PIN: strings.TrimSpace(f("was")), Device: deviceOf(r)}
		next, err = mine.ChoosePIN(r.Context(), s.house, session, e, strings.TrimSpace(f("is")))
		if err == nil {
			token = next
			s.stay(w, token)
		}
	}
	s.mineSays(w, r, token, says, err)
}

// mineEverything is all that is kept of who is signed in, to take away.
func (s *Server) mineEverything(w http.ResponseWriter, r *http.Request) {
	session, err := mine.Enter(r.Context(), s.house, tokenOf(r))
	if err != nil {
		s.mineRefused(w, r, &mineView{}, err)
		return
	}
	if session == nil {
		http.Redirect(w, r, minePath, http.StatusSeeOther)
		return
	}
	data, err := act.Do(r.Context(), s.house, session.Who, "", nil, func(a *act.Act) ([]byte,
		error) {
		return keeping.All(a, session.PatronID)
	})
	if err != nil {
		s.mineRefused(w, r, &mineView{}, err)
		return
	}
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Content-Disposition", `attachment; filename="everything.json"`)
	w.Header().Set("Cache-Control", "no-store")
	_, _ = w.Write(data)
}

// mineFind finds titles for everybody, shows one of them, and places holds for who is signed in.
func (s *Server) mineFind(w http.ResponseWriter, r *http.Request) {
	if what := unsound(r); what != "" {
		s.mineRefused(w, r, &mineView{Path: findPath}, problem.New(problem.Invalid, what))
		return
	}
	view := &mineView{Path: findPath, Words: strings.TrimSpace(r.URL.Query().Get("words"))}
	view.Words = strings.ToValidUTF8(view.Words[:min(len(view.Words), longestWords)], "")
	session, err := mine.Enter(r.Context(), s.house, tokenOf(r))
	if err != nil {
		s.mineRefused(w, r, view, err)
		return
	}
	who := mine.Visitor
	if session != nil {
		who, view.Says, view.Bad = session.Who, session.Says, session.Bad
	}
	page, err := store.PageFrom(r.URL.Query().Get("after"), 20)
	if err != nil {
		s.mineRefused(w, r, view, problem.From(problem.Invalid, err))
		return
	}
	title, _ := strconv.ParseInt(chi.URLParam(r, "title"), 10, 64)
	_, err = act.Look(r.Context(), s.house, who, func(a *act.Act) (bool, error) {
		if session != nil {
			fetches, err := mine.Fetches(a, session.PatronID)
			if err != nil {
				return false, err
			}
			view.Mine = fetches
		}
		if chi.URLParam(r, "title") != "" {
			view.Title, err = mine.OneTitle(a, title)
			return true, err
		}
		if view.Words == "" {
			return true, nil
		}
		found, err := mine.Search(a, view.Words, page)
		view.Found = found
		return true, err
	})
	if err != nil {
		s.mineRefused(w, r, view, err)
		return
	}
	s.showMine(w, r, http.StatusOK, view)
}

// sayMine is what went wrong, for who looks after themselves.
func (s *Server) sayMine(r *http.Request, err error) string {
	if p := problem.Of(err); p != nil {
		return p.Text
	}
	s.log.WarnContext(r.Context(), "own page", "error", store.Written(err))
	return "Something went wrong. Check whether it was done, and try again in a moment."
}

func (s *Server) mineRefused(w http.ResponseWriter, r *http.Request, v *mineView, err error) {
	status := http.StatusServiceUnavailable
	if p := problem.Of(err); p != nil {
		status = statuses[p.Kind]
	}
	v.Says, v.Bad, v.Found = s.sayMine(r, err), true, nil
	s.showMine(w, r, status, v)
}

func (s *Server) showMine(w http.ResponseWriter, r *http.Request, status int, v *mineView) {
	if v.Mine != nil && v.Mine.Card != nil {
		v.own = v.Mine.Language
	}
	v.Spoken = s.speaks(w, r, v.own)
	v.Network, _ = act.Look(r.Context(), s.house, mine.Visitor, func(a *act.Act) (string, error) {
		v.SignUp = a.Network.Settled.SignUps.Open
		v.speaks, v.money = notices.Speech(a, string(v.Spoken.Language)), a.Network.Money
		return a.Network.Name, nil
	})
	v.Key = rand.Text()
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	if err := minePages[v.Spoken.Language].Execute(w, v); err != nil {
		s.log.Warn("own page", "error", err)
	}
}

// ordinal is a number as a place in a queue.
func ordinal(n int) string {
	end := "th"
	if n%100 < 11 || n%100 > 13 {
		switch n % 10 {
		case 1:
			end = "st"
		case 2:
			end = "nd"
		case 3:
			end = "rd"
		}
	}
	return strconv.Itoa(n) + end
}

// mineStop opts somebody out of notices about holds, by the link in an email. Mail programs do so with one click (RFC 8058); who follows the
// link is asked first, since some programs look at all links of an email.
func (s *Server) mineStop(w http.ResponseWriter, r *http.Request) {
	link := chi.URLParam(r, "link")
	if len(link) > 2*len(rand.Text()) || unreadable(link) {
		link = ""
	}
	if r.Method == http.MethodGet {
		s.showMine(w, r, http.StatusOK, &mineView{Stop: link})
		return
	}
	_, err := act.Do(r.Context(), s.house, mine.Visitor, "", nil, func(a *act.Act) (bool, error) {
		return true, notices.OptOut(a, link)
	})
	if errors.Is(err, notices.ErrNoLink) {
		err = problem.Newf(problem.Missing, "This link is not valid any more. Sign in to choose your notices, or ask at a branch.")
	}
	if err != nil {
		s.mineRefused(w, r, &mineView{}, err)
		return
	}
	s.showMine(w, r, http.StatusOK, &mineView{Says: "You get no more notices about holds. Sign in to change that."})
}
