package ident_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"nevrin/core/ident"
	"nevrin/testkit/registry"
)

func TestPublishedNumbers(t *testing.T) {
	for _, c := range []struct{ source, text, isbn, says string }{
		{"ISO 2108, its own number", "978-92-95055-02-5", "9789295055025", ""},
		{"ISO 2108:1992, of ten digits (from memory)", "0-306-40615-2", "9780306406157", ""},
		{"with an X at the end (from memory)", "0-8044-2957-x", "9780804429573", ""},
		{"of the range 979", "979-10-90636-07-1", "9791090636071", ""},
		{"a digit wrong", "978-92-95055-02-6", "", ": the check digit is wrong. Scan it again, or type it from the book."},
		{"a music number", "9790060115615", "9790060115615", ""},
		{"a shop's code", "4006381333931", "", "has 13 digits but does not start with 978 or 979, as an ISBN does."},
		{"a digit missing", "978929505502", "", "is not an ISBN. An ISBN has 10 digits, or 13 that start with 978 or 979."},
		{"an X inside", "03064X0615", "", "is not an ISBN. An ISBN has 10 digits, or 13 that start with 978 or 979."},
		{"words", "salt choir", "", "is not an ISBN. An ISBN has 10 digits, or 13 that start with 978 or 979."},
		{"nothing", "", "", "is not an ISBN. An ISBN has 10 digits, or 13 that start with 978 or 979."},
	} {
		got, says := ident.ISBN(c.text)
		assert.Equal(t, c.isbn, got, c.source)
		assert.Contains(t, says, c.says, c.source)
	}
	for _, c := range []struct{ source, text, issn, says string }{
		{"ISO 3297, its worked example", "0317-8471", "0317-8471", ""},
		{"ISO 3297 (from memory)", "1050124x", "1050-124X", ""},
		{"a digit wrong", "0317-8472", "", ": the check digit is wrong. Scan it again, or type it from the book."},
		{"too long", "0317-84711", "", "is not an ISSN. An ISSN has 8 digits, such as 0317-8471."},
	} {
		got, says := ident.ISSN(c.text)
		assert.Equal(t, c.issn, got, c.source)
		assert.Contains(t, says, c.says, c.source)
	}
}

// Right and wrong numbers at random: npm's isbn3, issn and fast-luhn say the same of each.
func TestPublishedNumbersOfLibraries(t *testing.T) {
	random := rand.New(rand.NewPCG(7, 11))
	digits := func(n int) string {
		out := ""
		for range n {
			out += fmt.Sprint(random.IntN(10))
		}
		return out
	}
	var question struct {
		ISBN []string `json:"isbn"`
		ISSN []string `json:"issn"`
		Luhn []string `json:"luhn"`
	}
	for k := range 400 {
		book := "978" + []string{"0", "1", "2", "3"}[k%4] + digits(8)
		ten := book[3:]
		series := digits(7)
		question.ISBN = append(question.ISBN, book+ident.Mod10.Sign(book), book+digits(1), ten+ident.Mod11.Sign(ten), ten+digits(1))
		question.ISSN = append(question.ISSN, series[:4]+"-"+series[4:]+ident.Mod11.Sign(series), series[:4]+"-"+series[4:]+digits(1))
		number := digits(13)
		question.Luhn = append(question.Luhn, number+ident.Luhn.Sign(number), number+digits(1))
	}
	var answer struct {
		ISBN []string `json:"isbn"`
		ISSN []bool   `json:"issn"`
		Luhn []bool   `json:"luhn"`
	}
	registry.Ask(t, question, &answer)
	unlike := 0
	for k, text := range question.ISBN {
		ours, _ := ident.ISBN(text)
		if answer.ISBN[k] == "" && ours != "" {
			// isbn3 also knows which ranges are given to publishers; of a number outside of them it says nothing.
			unlike++
			continue
		}
		assert.Equal(t, answer.ISBN[k], ours, text)
	}
	assert.Less(t, unlike, len(question.ISBN)/4)
	for k, text := range question.ISSN {
		ours, _ := ident.ISSN(text)
		assert.Equal(t, answer.ISSN[k], ours != "", text)
	}
	for k, number := range question.Luhn {
		assert.Equal(t, answer.Luhn[k], ident.Luhn.Sign(number[:13]) == number[13:], number)
	}
}
