package demo

import (
	"fmt"
	"math/rand/v2"
	"strings"

	"nevrin/core/calendar"
	"nevrin/core/ident"
)

// Words of titles. Each title is put together from them, and none is a known work.
var (
	places = words(`Skarrin, Saltmere, Gull Close, Net Loft Lane, Thistle Bay, Tern Sound, Upper Tolm, Wrenna, Lantern Terrace,
		Weir Walk, Sorrel Point, Cold Harbour Stair, Quarrow Mill, the Long Causeway, Orrin Light, Fennel Island`)
	nouns = words(`Choir, Lantern, Tide, Orchard, Harbour, Ledger, Gull, Causeway, Beehive, Kettle, Signal, Weir, Meadow, Almanac, Ferry, Compass, Attic, Moth,
		Shingle, Bell, Mill, Letter, Garden, Foxglove, Island, Winterhouse, Keeper, Net, Stair, Anchor`)
	adjectives = words(`Salt, Quiet, Long, Crooked, Northern, Paper, Borrowed, Hollow, Winter, Second, Patient, Copper, Drowned, Narrow, Slow, Unlit, Green, Lost, Small,
		Weathered, Distant, Seventh, Folded, Bitter, Early`)
	callings = words(`Ferryman, Beekeeper, Net Mender, Bell Ringer, Schoolmaster, Lighthouse Keeper, Clockmaker, Postmistress, Cartographer, Baker,
		Harbour Master, Organist, Shepherd, Boatbuilder, Apothecary, Ropemaker`)
	kin        = words(`Daughter, Widow, Apprentice, Ledger, Brother, Silence, Winter, Promise, Garden, Last Map, Other House, Sister`)
	crimes     = words(`Murder at, A Death on, The Body at, The Drowning at, Nobody Came to, The Vanishing at, Poison at, The Inquest of`)
	inspectors = words(`Inspector Veldt, Constable Arkle, Mrs. Quayle, Doctor Umbra, Sergeant Pellow`)
	cases      = words(`the Drowned Bell, the Borrowed Coat, the Seventh Key, the Empty Ferry, the Paper Boat, the Salted Letter, the Unlit Lamp,
		the Crooked Stair, the Missing Choir, the Green Ledger`)
	animals = words(`Otter, Puffin, Hedgehog, Ferry Cat, Little Seal, Barnacle Goose, Old Goat, Field Mouse, Harbour Dog, Snail`)
	doings  = words(`Goes to School, and the Lost Mitten, Learns to Swim, Counts to Ten, and the Storm, Bakes a Cake, Cannot Sleep, Takes the Ferry,
		Says Goodbye, Finds a Friend`)
	puzzles  = words(`The Secret of, The Treasure of, Summer at, The Ghosts of, Stranded at, The Club at, Lights over`)
	subjects = words(`Knots, Small Engines, Sourdough, Tide Tables, Beekeeping, Hedges, Kayaks, Wool, Compost, Stone Walls, Birdsong, Weather,
		Sailmaking, Seaweed, Clocks, Moths, Bread Ovens, Dry Rot, Lighthouses, Choirs, Ferries, Mushrooms, Net Mending, Apple Trees, Night Skies`)
	guides = words(`A Practical Guide, in Nine Lessons, for Beginners, through the Year, A Short History, in Plain Words, Step by Step,
		on a Small Budget, A Field Guide, from Seed to Table, The Complete Handbook, for Two`)
	lives   = words(`A Life in, Notes from, My Years in, Walking to, Letters from, The Making of, Growing Up in`)
	serials = words(`Harbour and Home, The Sound Review, Kitchen Almanac, Small Boats, Island Gardener, The Northern Cyclist, Wool and Thread,
		Bird Notes, The Amateur Astronomer, Maker's Bench, Puzzle Basket, County Farmer, Young Explorers, Health and Age, The Reading Room,
		Film and Stage, The Walker, Old Engines, Sourdough, Money Plainly`)
	things = words(`Telescope, beginner's, Ukulele, soprano, Sewing kit, Bird-watching kit, Soil test kit, Knitting loom, Metal detector, Projector, Pasta machine, Bicycle repair kit`)
)

// titleName invents a title as it would stand on the shelf of a collection; the number keeps kits apart.
func titleName(r *rand.Rand, material, collection string, n int) string {
	switch {
	case material == "kit":
		return pick(r, things) + " (kit " + number(n) + ")"
	case material == "laptop":
		return "Laptop " + number(n)
	case material == "game":
		return pick(r, []string{"Race to ", "Builders of ", "Smugglers of ", "Merchants of ", "The Ferries of "}) + pick(r, places)
	case collection == "young":
		return youngName(r)
	case collection == "nonfiction" || collection == "school":
		return factName(r)
	case collection == "county":
		return pick(r, lives) + " " + pick(r, places)
	}
	return storyName(r)
}

// another invents a title that is not used yet. After twenty failures it gives the next volume of one that is.
func (g *generator) another(invent func() string) string {
	name := invent()
	for tries := 0; g.names[name] > 0 && tries < 20; tries++ {
		name = invent()
	}
	for volume := 2; g.names[name] > 0; volume++ {
		name = fmt.Sprintf("%s, Volume %d", strings.Split(name, ", Volume")[0], volume)
	}
	return name
}

// serialName is the name of the nth serial.
func serialName(n int) string {
	if n < len(serials) {
		return serials[n]
	}
	n -= len(serials)
	papers := []string{"Gazette", "Gardens", "Sailing News", "History Review"}
	return places[n%len(places)] + " " + papers[n/len(places)%len(papers)]
}

func storyName(r *rand.Rand) string {
	switch r.IntN(12) {
	case 0, 1:
		return pick(r, crimes) + " " + pick(r, places)
	case 2:
		return pick(r, inspectors) + " and " + pick(r, cases)
	case 3, 4:
		return "The " + pick(r, callings) + "'s " + pick(r, kin)
	case 5:
		return "A " + pick(r, []string{"Season", "Year", "House", "Winter", "Summer"}) + " of " + pick(r, []string{"Small", "Quiet", "Salt", "Other", "Late"}) +
			" " + calendar.Plural(pick(r, nouns))
	case 6:
		return "What the " + pick(r, nouns) + " " + pick(r, []string{"Left", "Knew", "Kept", "Heard", "Remembers"})
	case 7:
		return "The " + pick(r, adjectives) + " " + pick(r, nouns)
	case 8:
		return calendar.Plural(pick(r, nouns)) + " over " + pick(r, places)
	}
	return "The " + pick(r, adjectives) + " " + pick(r, nouns) + " of " + pick(r, places)
}

func youngName(r *rand.Rand) string {
	switch r.IntN(4) {
	case 0, 1:
		return pick(r, animals) + " " + pick(r, doings)
	case 2:
		return pick(r, puzzles) + " " + pick(r, places)
	}
	return pick(r, givenNames) + " and the " + pick(r, adjectives) + " " + pick(r, nouns)
}

func factName(r *rand.Rand) string {
	switch r.IntN(8) {
	case 0:
		return pick(r, lives) + " " + pick(r, places)
	case 1:
		return "The " + pick(r, subjects) + " of the North"
	case 2, 3:
		return pick(r, subjects) + " at " + pick(r, places)
	case 4, 5:
		return pick(r, subjects) + " and " + pick(r, subjects)
	}
	name, guide := pick(r, subjects), pick(r, guides)
	if strings.ToUpper(guide[:1]) == guide[:1] {
		return name + ": " + guide
	}
	return name + " " + guide
}

// issn is the number of the nth serial, in a range that is not given out (ISO 3297).
func issn(n int) string {
	body := fmt.Sprintf("999%04d", n)
	return body[:4] + "-" + body[4:] + ident.Mod11.Sign(body)
}

// issues are how many issues of a serial the branches keep: two years of months.
const issues = 24

// issue is the issue of a serial that came out so many months ago, as the volume of its copy.
func issue(ago int) string {
	month := 2026*12 + 9 - ago // October 2026 has not arrived yet
	return fmt.Sprintf("%d, No. %d", (month-1)/12, (month-1)%12+1)
}
