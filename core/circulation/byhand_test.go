package circulation_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"nevrin/core/calendar"
	"nevrin/core/circulation"
)

func TestDueDatesOfOthers(t *testing.T) {
	for name, c := range map[string]struct {
		settled, supervises bool
		item, patron        calendar.Code
		whose               circulation.Whose
	}{
		"all our own":                       {false, false, "HVH", "HVH", circulation.Nobodys},
		"another branch's item":             {false, false, "SLM", "HVH", circulation.ItsItem},
		"another branch's patron":           {false, false, "HVH", "SLM", circulation.ItsPatron},
		"both: the item is named":           {false, false, "SLM", "SLM", circulation.ItsItem},
		"from outside, for our own patron":  {false, false, "", "HVH", circulation.Nobodys},
		"the network lets others' be set":   {true, false, "SLM", "SLM", circulation.Nobodys},
		"a supervisor sets them everywhere": {false, true, "SLM", "SLM", circulation.Nobodys},
	} {
		assert.Equal(t, c.whose, circulation.OfOthers(c.settled, c.supervises, "HVH", c.item, c.patron), name)
	}
}

func TestSayMany(t *testing.T) {
	often := func(says string) circulation.Renewed {
		return circulation.Renewed{By: circulation.TooOften, Refused: "Not renewed: " + says}
	}
	awaited := circulation.Renewed{By: circulation.Awaited, Refused: "Not renewed: somebody is waiting for it."}
	stopped := circulation.Renewed{By: circulation.Stopped, Refused: "Not renewed: Owes 6.00, and lending stops above 5.00."}
	for says, each := range map[string][]circulation.Renewed{
		"2 renewed.": {{}, {}},
		"1 renewed; 1 not: renewals so far 2, allowed 2.":                                    {{}, often("renewals so far 2, allowed 2.")},
		"0 renewed; 2 not: renewed as often as allowed.":                                     {often("renewals so far 2, allowed 2."), often("renewals so far 0, allowed 0.")},
		"1 renewed; 1 not: somebody is waiting for it; 1 not: renewals so far 1, allowed 1.": {awaited, {}, often("renewals so far 1, allowed 1.")},
		"0 renewed; 2 not: Owes 6.00, and lending stops above 5.00.":                         {stopped, stopped},
	} {
		assert.Equal(t, says, circulation.SayMany(each))
	}
}
