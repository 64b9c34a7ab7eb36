// Package door decides how long somebody has to wait before they may try to sign in again, which passwords are taken, and
// when a station that nobody touches asks who is there.
//
// Wrong tries are counted for three things at once: one name from one address, one name from anywhere unknown, and one
// address with whatever name. Who types their own password wrong waits a few seconds; who guesses at one name waits
// longer and longer, and so does an address from which many names are tried. Nobody can shut a person out from where they
// have signed in before: the count of a name alone does not hold there.
package door

import (
	"strings"
	"time"
	"unicode/utf8"

	"github.com/trustelem/zxcvbn"

	"nevrin/core/ident"
)

// Count is one of the counters that wrong attempts add to, such as an account's or an address's.
type Count string

// The counts.
const (
	OfPair    Count = "pair"    // one name from one address
	OfName    Count = "name"    // one name, from addresses where its person has not signed in before
	OfAddress Count = "address" // one client, which may be a whole branch (see Client)
	OfRange   Count = "range"   // all clients of one site (see Range)
)

// Forgotten is the time without a wrong attempt after which counting begins anew.
const Forgotten = 24 * time.Hour

// step is how many tries are free, the first wait, which doubles with each further try, and the longest.
type step struct {
	free        int
	first, most time.Duration
}

var steps = map[Count]step{
	OfPair:    {4, 2 * time.Second, 15 * time.Minute},
	OfName:    {20, 10 * time.Second, 15 * time.Minute},
	OfAddress: {40, 2 * time.Second, 5 * time.Minute},
	OfRange:   {400, 2 * time.Second, 5 * time.Minute},
}

// Wait gives how long somebody has to wait after a number of wrong attempts before the next one.
func Wait(of Count, wrong int) time.Duration {
	s := steps[of]
	if wrong <= s.free {
		return 0
	}
	return min(s.first<<min(wrong-s.free-1, 20), s.most)
}

// Rests tells whether a station has rested for so long that it asks who is there; one that nobody else uses never does.
func Rests(own bool, rested time.Duration, minutes int) bool {
	return !own && minutes > 0 && rested > time.Duration(minutes)*time.Minute
}

// MostShort is the number of wrong short codes after which a session ends.
const MostShort = 5

// Bounds of a password, in letters.
const (
	shortest = 10
	longest  = 200
)

// leftOver is how many letters a password has at least beside what is known of its person.
const leftOver = 5

// guessable is the estimate of zxcvbn (Wheeler, USENIX Security 2016), of 0 to 4, from which on a password stands.
const guessable = 3

// Password tells what is wrong with a new password, in a sentence; empty: nothing. Known of its person are their names,
// which anybody would try.
func Password(text string, known ...string) string {
	switch n := utf8.RuneCountInString(text); {
	case n < shortest:
		return "The password is too short. Use at least 10 characters; a few unrelated words make a good password."
	case n > longest:
		return "The password is too long. Use at most 200 characters."
	}
	var words []string
	rest := strings.ToLower(text)
	for _, k := range append(known, "nevrin", "library") {
		for w := range strings.FieldsSeq(strings.ToLower(k)) {
			words, rest = append(words, w), strings.ReplaceAll(rest, w, "")
		}
	}
	if utf8.RuneCountInString(rest) < leftOver || zxcvbn.PasswordStrength(cut(text), words).Score < guessable {
		return "This password is too common. Choose another; a few unrelated words make a good password."
	}
	return ""
}

// cut keeps what is estimated short: more letters make no password worse, and estimating takes time.
func cut(text string) string {
	if r := []rune(text); len(r) > 64 {
		return string(r[:64])
	}
	return text
}

// Short tells what is wrong with a short code for coming back to a station, typed or scanned from a badge; empty: nothing.
func Short(code string) string {
	n := len(code)
	if n < 4 || n > 40 {
		return "Use 4 to 40 letters or digits."
	}
	if strings.Count(code, code[:1]) == n || strings.Contains("01234567890", code) ||
		strings.Contains("09876543210", code) {
		return "This short code is too easy to guess. Choose another."
	}
	return ""
}

// byHand is how long a short code is at most that somebody types. What is longer was scanned, as a badge is.
const byHand = 9

// Scanned tells whether what came as a short code is an item that was scanned, by what its number is. No such number can be
// chosen as a short code, so that telling it apart helps nobody to guess one.
func Scanned(code string, kind ident.Kind) bool { return kind == ident.Item && len(code) > byHand }
