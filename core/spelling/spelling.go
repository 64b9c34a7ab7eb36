// Package spelling finds the word that somebody meant who wrote one that stands nowhere.
//
// Two words are as far from each other as letters have to be written, left out, changed, or swapped with their neighbour to
// make one of the other. The nearest is meant, if it is near enough for its length; among equally near ones that which begins
// alike, since people seldom miss the first letter, and then that which is as long.
package spelling

import (
	"cmp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/hbollon/go-edlib"
)

// farthest is how far a word of so many letters may be from what is meant.
func farthest(letters int) int {
	switch {
	case letters <= 4:
		return 1
	case letters <= 8:
		return 2
	}
	return 3
}

// Meant gives those of some words that may be meant by one, in order of how likely that is.
func Meant(word string, known []string) []string {
	word = strings.ToLower(word)
	size := utf8.RuneCountInString(word)
	type near struct {
		word                   string
		far, other, difference int
	}
	var all []near
	for _, k := range known {
		far := edlib.OSADamerauLevenshteinDistance(word, k)
		if far == 0 || far > farthest(size) {
			continue
		}
		other := utf8.RuneCountInString(k)
		n := near{word: k, far: far, difference: max(size, other) - min(size, other)}
		if first(k) != first(word) {
			n.other = 1
		}
		all = append(all, n)
	}
	slices.SortStableFunc(all, func(a, b near) int {
		return cmp.Or(a.far-b.far, a.other-b.other, a.difference-b.difference)
	})
	out := []string{}
	for _, n := range all {
		out = append(out, n.word)
	}
	return out
}

// letters are those that a word is tried with, beside its own.
const letters = "abcdefghijklmnopqrstuvwxyz"

// One gives all that is one slip away from a word: two neighbours swapped, a letter left out, put in, or changed. Among words that
// are short, those that are meant need not look like it.
func One(word string) []string {
	w := []rune(strings.ToLower(word))
	seen := map[string]bool{string(w): true}
	var out []string
	add := func(parts ...[]rune) {
		text := string(slices.Concat(parts...))
		if !seen[text] {
			seen[text] = true
			out = append(out, text)
		}
	}
	for k := range w {
		if k+1 < len(w) {
			add(w[:k], []rune{w[k+1], w[k]}, w[k+2:])
		}
		add(w[:k], w[k+1:])
	}
	for _, letter := range letters {
		for k := range len(w) + 1 {
			add(w[:k], []rune{letter}, w[k:])
			if k < len(w) {
				add(w[:k], []rune{letter}, w[k+1:])
			}
		}
	}
	return out
}

func first(word string) rune {
	r, _ := utf8.DecodeRuneInString(word)
	return r
}

// Words are the words of a text as they are told apart: letters and digits, in small letters.
func Words(text string) []string {
	return strings.FieldsFunc(strings.ToLower(text), func(r rune) bool {
		return !unicode.IsLetter(r) && !unicode.IsDigit(r)
	})
}
