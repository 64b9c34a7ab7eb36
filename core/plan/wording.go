package plan

import (
	"slices"
	"time"

	"nevrin/core/expect"
	"nevrin/core/speech"
)

// Wording is the text of a kind of notice, by language.
type Wording struct {
	Name  string          `json:"name" minLength:"1" maxLength:"80"`
	Kind  Kind            `json:"kind" doc:"Which kind it is for; empty: what stands around all notices of a message"`
	Texts map[string]Text `json:"texts" doc:"By language, a code of ISO 639-1"`
}

// Text is a wording in one language, as Liquid templates. Short and Spoken may be empty: then the usual ones of the kind are used.
type Text struct {
	Subject string `json:"subject" maxLength:"300"`
	Body    string `json:"body" maxLength:"10000" doc:"Of emails and letters"`
	Short   string `json:"short" maxLength:"1000" doc:"Of text messages"`
	Spoken  string `json:"spoken" maxLength:"2000" doc:"What is said on the telephone"`
}

// Frame is the code of the wording around all notices of a message: greeting and closing.
const Frame = "frame"

// Language is the language that every wording has.
const Language = "en"

// In gives the text in a language, or in Language if there is none.
func (w *Wording) In(language speech.Language) Text {
	if t, ok := w.Texts[string(language)]; ok {
		return t
	}
	return w.Texts[Language]
}

// Check tells what is wrong with a wording beside its templates.
func (w *Wording) Check() error {
	if _, ok := SortOf(w.Kind); w.Kind != "" && !ok {
		return expect.Errorf("one of the kinds of notices", "the kind %q", w.Kind)
	}
	if t := w.Texts[Language]; t.Subject == "" || t.Body == "" {
		return expect.Errorf("a subject and a text", "a wording without %s", Language)
	}
	return nil
}

// Order gives a kind's place within a message.
func Order(k Kind) int { return slices.IndexFunc(Sorts, func(s Sort) bool { return s.Kind == k }) }

// Hours are the hours of a day in which messages leave, in minutes after midnight; the same for both: at any time.
type Hours struct {
	From  int `json:"from" minimum:"0" maximum:"1439" doc:"Minutes after midnight from which messages leave"`
	Until int `json:"until" minimum:"0" maximum:"1440" doc:"Minutes after midnight until which messages leave; the same as from: at any time"`
}

// Check tells what is wrong with hours.
func (h Hours) Check() error {
	if h.Until < h.From {
		return expect.Errorf("a time after the one from which they leave", "messages until %d minutes after midnight", h.Until)
	}
	return nil
}

// Wait gives how long a message waits until it may leave; 0: it may.
func (h Hours) Wait(now time.Time, loc *time.Location) time.Duration {
	t := now.In(loc)
	at := func(day, minutes int) time.Time {
		return time.Date(t.Year(), t.Month(), t.Day()+day, 0, minutes, 0, 0, loc)
	}
	switch {
	case h.From == h.Until || !t.Before(at(0, h.From)) && t.Before(at(0, h.Until)):
		return 0
	case t.Before(at(0, h.From)):
		return at(0, h.From).Sub(t)
	}
	return at(1, h.From).Sub(t)
}
