package cql

import (
	"slices"
	"strings"
	"unicode"
)

// Mask is a part of a term: letters as they are, or what stands for any of them.
type Mask struct {
	Text string
	Any  bool // * stands for any number of letters
	One  bool // ? stands for one
}

// Masked is a word of a term with its masks, in small letters.
type Masked struct {
	Parts       []Mask
	First, Last bool // anchored with ^ to the beginning or the end of the field
}

// Masks are the words of a term, with masks and escapes read.
func Masks(term string) []Masked {
	var out []Masked
	for _, word := range strings.Fields(term) {
		m := Masked{}
		var text strings.Builder
		flush := func() {
			if text.Len() > 0 {
				m.Parts = append(m.Parts, Mask{Text: strings.ToLower(text.String())})
				text.Reset()
			}
		}
		letters := []rune(word)
		for k := 0; k < len(letters); k++ {
			c := letters[k]
			escaped := c == '\\' && k+1 < len(letters)
			if escaped {
				k++
				c = letters[k]
			}
			switch {
			case !escaped && c == '*':
				flush()
				m.Parts = append(m.Parts, Mask{Any: true})
			case !escaped && c == '?':
				flush()
				m.Parts = append(m.Parts, Mask{One: true})
			case !escaped && c == '^' && k == 0:
				m.First = true
			case !escaped && c == '^' && k == len(letters)-1:
				m.Last = true
			case unicode.IsLetter(c) || unicode.IsDigit(c):
				text.WriteRune(c)
			default: // signs part words
				if text.Len() > 0 {
					flush()
					out = append(out, m)
					m = Masked{}
				}
			}
		}
		flush()
		if len(m.Parts) > 0 {
			out = append(out, m)
		}
	}
	return out
}

// Fits tells whether a word, in small letters, is one that a mask stands for.
func (m Masked) Fits(word string) bool { return fits(m.Parts, []rune(word)) }

func fits(parts []Mask, word []rune) bool {
	if len(parts) == 0 {
		return len(word) == 0
	}
	switch p := parts[0]; {
	case p.Any:
		for k := 0; k <= len(word); k++ {
			if fits(parts[1:], word[k:]) {
				return true
			}
		}
		return false
	case p.One:
		return len(word) > 0 && fits(parts[1:], word[1:])
	default:
		text := []rune(p.Text)
		return len(word) >= len(text) && string(word[:len(text)]) == p.Text && fits(parts[1:], word[len(text):])
	}
}

// Words are the words of a field, in small letters.
func Words(field string) []string {
	return strings.FieldsFunc(strings.ToLower(field), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
}

// Holds tells whether a field is one that a relation and a term ask for: all words of it, any, next to each other, or nothing else.
func Holds(relation, term, field string) bool {
	asked, words := Masks(term), Words(field)
	if len(asked) == 0 || len(words) == 0 {
		return false
	}
	at := func(m Masked, k int) bool {
		return m.Fits(words[k]) && (!m.First || k == 0) && (!m.Last || k == len(words)-1)
	}
	has := func(m Masked) bool {
		for k := range words {
			if at(m, k) {
				return true
			}
		}
		return false
	}
	row := func(from int) bool {
		for k, m := range asked {
			if from+k >= len(words) || !at(m, from+k) {
				return false
			}
		}
		return true
	}
	switch relation {
	case "any":
		return slices.ContainsFunc(asked, has)
	case "adj":
		for from := range words {
			if row(from) {
				return true
			}
		}
		return false
	case "==", "exact":
		return len(asked) == len(words) && row(0)
	case "<>":
		return len(asked) != len(words) || !row(0)
	case "<", ">", "<=", ">=":
		a, b := strings.Join(words, " "), strings.ToLower(strings.TrimSpace(term))
		return map[string]bool{"<": a < b, ">": a > b, "<=": a <= b, ">=": a >= b}[relation]
	}
	return !slices.ContainsFunc(asked, func(m Masked) bool { return !has(m) })
}
