package person_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"nevrin/core/person"
)

func TestNoPhoto(t *testing.T) {
	yes, no := true, false
	for name, c := range map[string]struct {
		kept, minor bool
		may         *bool
		says        string
	}{
		"a grown-up who sits for it":       {true, false, nil, ""},
		"a grown-up who has agreed":        {true, false, &yes, ""},
		"a grown-up who has refused":       {true, false, &no, "Photographs were refused. Record a new consent first."},
		"a child, nobody asked":            {true, true, nil, "The guardian has to consent. Record their consent to photographs first."},
		"a child, the guardian has agreed": {true, true, &yes, ""},
		"a child, the guardian has not":    {true, true, &no, "Photographs were refused. Record a new consent first."},
		"a network that keeps none":        {false, false, &yes, "keeps no photographs"},
	} {
		says := person.NoPhoto(c.kept, c.minor, c.may)
		if c.says == "" {
			assert.Empty(t, says, name)
		} else {
			assert.Contains(t, says, c.says, name)
		}
	}
}
