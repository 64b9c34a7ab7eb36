package queue_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"nevrin/core/queue"
)

func TestSavesAWay(t *testing.T) {
	at := func(hour int) *time.Time {
		t := time.Date(2026, 10, 6, hour, 0, 0, 0, time.UTC)
		return &t
	}
	for name, c := range map[string]struct {
		holds []queue.ToFetch
		want  int
	}{
		"nobody's is to be fetched":          {nil, -1},
		"earlier":                            {[]queue.ToFetch{{May: true, Was: at(12), Is: at(11)}}, 0},
		"as early, and nobody has to go":     {[]queue.ToFetch{{May: true, Was: at(12), Is: at(12)}}, 0},
		"later":                              {[]queue.ToFetch{{May: true, Was: at(12), Is: at(13)}}, -1},
		"nothing gets the other there":       {[]queue.ToFetch{{May: true, Is: at(13)}}, 0},
		"nothing gets this one there":        {[]queue.ToFetch{{May: true, Was: at(12)}}, -1},
		"neither gets there":                 {[]queue.ToFetch{{May: true}}, -1},
		"it may not":                         {[]queue.ToFetch{{Was: at(12), Is: at(11)}}, -1},
		"somebody goes already":              {[]queue.ToFetch{{May: true, OnTheWay: true, Was: at(12), Is: at(11)}}, -1},
		"the first of two, not the best":     {[]queue.ToFetch{{May: true, Was: at(12), Is: at(11)}, {May: true, Was: at(20), Is: at(9)}}, 0},
		"the second, where the first cannot": {[]queue.ToFetch{{May: true, Was: at(12), Is: at(13)}, {May: true, Was: at(20), Is: at(9)}}, 1},
	} {
		assert.Equal(t, c.want, queue.SavesAWay(c.holds), name)
	}
}
