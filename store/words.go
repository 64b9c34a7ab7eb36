package store

import (
	"fmt"
	"strings"
)

// WordsIn is the condition that every word of a search stands in a column of words, with LIKE's own signs made plain.
func WordsIn(column, words string) (string, []any) {
	plain := Like(strings.ToLower(words))
	var where []string
	var args []any
	for _, word := range strings.Fields(plain) {
		args = append(args, "%"+word+"%")
		where = append(where, fmt.Sprintf("%s LIKE $%d", column, len(args)))
	}
	if where == nil {
		return "false", nil
	}
	return strings.Join(where, " AND "), args
}

// Like is a text as a pattern that means it to the letter.
func Like(text string) string {
	return strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`).Replace(text)
}

// After is the condition that a row comes after the cursor of a list in order of a text and an id. The cursor's parts
// follow n other arguments.
func After(text, id string, n int) string {
	return fmt.Sprintf("$%d::bigint >= 0 AND (%s, %s) > ($%d::text, $%d::bigint)", n+1, text, id, n+2, n+3)
}
