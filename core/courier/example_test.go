package courier_test

import (
	"fmt"
	"os"
	"time"

	"nevrin/core/courier"
)

// When something ready at Quarrow in the morning is on the shelf at Saltmere.
func ExampleTimetable_Ask() {
	data, err := os.ReadFile("../testdata/worked-courier.json")
	if err != nil {
		panic(err)
	}
	file, err := courier.Read(data)
	if err != nil {
		panic(err)
	}
	t := file.Timetable
	ready := time.Date(2026, 10, 6, 8, 0, 0, 0, t.Location)
	journey := t.Ask("QRW", "SLM", ready)
	fmt.Println(len(journey.Legs), "legs, on the shelf", journey.OnShelf.In(t.Location).Format("Mon 2 Jan 15:04"))
	// Output:
	// 2 legs, on the shelf Wed 7 Oct 12:15
}
