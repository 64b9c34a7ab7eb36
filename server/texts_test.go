package server

import (
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/core/calendar"
	"nevrin/core/loan"
	"nevrin/core/money"
	"nevrin/core/queue"
	"nevrin/core/speech"
)

var askedTexts = regexp.MustCompile(`\bt "((?:[^"\\]|\\.)*)"`)

// No text of patrons' pages is missing in any language, and none is kept that no page has. Gaps are the same in all languages, also of sentences.
func TestNoTextIsMissing(t *testing.T) {
	needed := map[string]bool{}
	for _, page := range []string{mineText, signUpText} {
		for _, m := range askedTexts.FindAllStringSubmatch(page, -1) {
			needed[m[1]] = true
		}
	}
	for _, f := range signUpFields {
		needed[f.Label] = true
	}
	require.Greater(t, len(needed), 100)
	gap := regexp.MustCompile(`%(?:\[\d\])?[sd]`)
	for _, l := range speech.All {
		if l.Code == speech.English {
			continue
		}
		has := map[string]string{}
		for _, m := range slices.Concat(textsIn(l.Code, "").Messages, textsIn(l.Code, ".sentences").Messages) {
			assert.NotEmpty(t, m.Translation, m.ID)
			assert.Len(t, gap.FindAllString(m.Translation, -1), len(gap.FindAllString(m.ID, -1)), "gaps of %q", m.ID)
		}
		for _, m := range textsIn(l.Code, "").Messages {
			assert.NotContains(t, has, m.ID, "twice")
			assert.True(t, needed[m.ID], "no page has %q", m.ID)
			has[m.ID] = m.Translation
		}
		for text := range needed {
			assert.Contains(t, has, text, l.Code)
		}
	}
}

// No English stands in the pages beside the texts.
func TestNothingStandsBesideTheTexts(t *testing.T) {
	marks, words := regexp.MustCompile(`(?s)\{\{.*?\}\}|<[^>]*>`), regexp.MustCompile(`[A-Za-z]{3,}`)
	for name, page := range map[string]string{"mine": mineText, "sign-up": signUpText} {
		said := marks.ReplaceAllString(page[strings.Index(page, "<body>"):], "\n")
		for _, word := range words.FindAllString(said, -1) {
			assert.Equal(t, "ISBN", word, name)
		}
	}
}

// Sentences that the program makes are said in the page's language, with their dates; those that it does not know stay as they are.
func TestSay(t *testing.T) {
	fr := written[speech.French]
	for english, french := range map[string]string{
		"Renewed, due Tue 27 Oct":                                       "Prolongé, à rendre le mar. 27 oct.",
		"The tide tables: Not renewed: somebody is waiting for it.":     "The tide tables : Non prolongé : quelqu'un l'attend.",
		"On the hold shelf at Havenhead until Tue 13 Oct 2026":          "Prêt à Havenhead jusqu'au mar. 13 oct. 2026",
		"In transit to Saltmere, on the shelf by Wed 7 Oct 2026, 10:30": "En route vers Saltmere, prêt vers le mer. 7 oct. 2026, 10:30",
		"Pause: Renewed, due Tue 27 Oct":                                "Pause : Prolongé, à rendre le mar. 27 oct.", // a title stays
		"Late: The tide tables":                                         "Retard : The tide tables",
		"A sentence that nobody has translated, of Tue Oct 6, 2026":     "A sentence that nobody has translated, of mar. 6 oct., 2026",
		"Not renewed: renewals so far 2, allowed 2.":                    "Non prolongé : déjà prolongé 2 fois, permis 2.",
	} {
		assert.Equal(t, french, fr.Say(english))
		assert.Equal(t, english, written[speech.English].Say(english))
	}
	assert.Equal(t, "3 exemplaires", fr.T("%d copies", 3))
	assert.Equal(t, []string{"1er", "2e"}, []string{fr.Ordinal(1), fr.Ordinal(2)})
	assert.Equal(t, []string{"1st", "22nd"}, []string{written[speech.English].Ordinal(1), written[speech.English].Ordinal(22)})
}

// Whatever stops a patron's card is said in French on their page, where a renewal is refused for it.
func TestStopsOfACardAreSaid(t *testing.T) {
	fr := written[speech.French]
	cad, _ := money.ParseCurrency("CAD")
	today := calendar.MakeDate(2026, 10, 6)
	owed, late := money.Amount(1000), 0
	limits := loan.Limits{Currency: cad, Owed: &owed, Late: &late}
	french := map[loan.StopKind]string{
		loan.CardInactive: "Cette carte n'est pas active. ", loan.CardExcluded: "Le prêt est suspendu pour cette carte. ",
		loan.CardStopped: "Prêt bloqué : ", loan.CardEnded: "La carte a expiré le lun. 5 oct.", loan.OwesTooMuch: "Doit $12.00", loan.TooManyLate: "en retard ; 0 sont permis",
	}
	seen := map[loan.StopKind]bool{}
	for _, b := range []loan.Borrower{
		{Standing: loan.Inactive}, {Standing: loan.Excluded}, {Standing: loan.Inactive, Reason: "Moved"}, {Standing: loan.Excluded, Reason: "Threats"},
		{Stopped: "Card lost"}, {CardUntil: new(today.Add(-1))}, {Owes: 1200}, {Owes: 1500, Disputed: 300}, {Late: 1}, {Late: 3},
	} {
		for _, stop := range loan.StopsOf(b, limits, today, calendar.Style{}) {
			seen[stop.Kind] = true
			assert.Contains(t, fr.Say("Not renewed: "+stop.Text), "Non prolongé : ")
			assert.Contains(t, fr.Say("Not renewed: "+stop.Text), french[stop.Kind], stop.Text)
		}
	}
	assert.Len(t, seen, len(french), "each of them")
	for _, says := range []string{queue.Ready.MayChange(), queue.Cancelled.MayChange(), queue.MayPause(today, today)} {
		assert.NotEqual(t, says, fr.Say(says))
	}
}
