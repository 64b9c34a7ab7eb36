package rulebook_test

import (
	"fmt"
	"os"

	"nevrin/core/rulebook"
)

// Each term is settled on its own, by the narrowest rule that speaks to it, and says which.
func ExampleRulebook_Decide() {
	data, err := os.ReadFile("../testdata/worked-rules.json")
	if err != nil {
		panic(err)
	}
	book, err := rulebook.Read(data)
	if err != nil {
		panic(err)
	}
	at := rulebook.Situate("WRN", "SLM", "general", "film", "child")
	terms := book.Decide(at, nil)
	fmt.Println(book.Say(rulebook.LoanPeriod, terms.Value(rulebook.LoanPeriod)), "by", terms.Of(rulebook.LoanPeriod).RuleID())
	// Output:
	// 14 days by island-films
}
