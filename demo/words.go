package demo

import (
	"math/rand/v2"
	"strings"
)

// Words from which names and titles are put together. All of it is invented; none is a known work or person.
var (
	givenNames = []string{
		"Ines",
		"Mart",
		"Oda",
		"Rune",
		"Tova",
		"Elio",
		"Sanne",
		"Jory",
		"Maude",
		"Perrin",
		"Linnet",
		"Corin",
		"Yara",
		"Anselm",
		"Brid",
		"Davin",
		"Esme",
		"Faro",
		"Greta",
		"Hale",
		"Ilka",
		"Joss",
		"Kerra",
		"Lowen",
		"Mirja",
		"Nils",
		"Orla",
		"Pell",
		"Quill",
		"Roswen",
		"Soren",
		"Tamsin",
		"Ulla",
		"Vesper",
		"Wren",
		"Ysolde",
		"Zenna",
		"Amara",
		"Bodil",
		"Cado",
		"Demelza",
		"Edda",
		"Finch",
		"Gwenna",
		"Hedda",
		"Ivo",
		"Jenifer",
		"Kitto",
		"Lark",
		"Merryn",
	}
	surnames = []string{
		"Kallas",
		"Ostby",
		"Amara",
		"Trevane",
		"Holloway-Finn",
		"Marsk",
		"Brannock",
		"Tideman",
		"Sorrel",
		"Vantry",
		"Pellow",
		"Quist",
		"Rasmur",
		"Skerry",
		"Tolman",
		"Umbra",
		"Veldt",
		"Wardle",
		"Yarrow",
		"Zeller",
		"Ashgrove",
		"Birkett",
		"Corran",
		"Dunmore",
		"Elverson",
		"Farrow",
		"Gantry",
		"Hexam",
		"Irwell",
		"Jorund",
		"Kestrel",
		"Lomas",
		"Mewett",
		"Norrback",
		"Orchard",
		"Penrose",
		"Quayle",
		"Rook",
		"Stannard",
		"Thorne",
		"Ullman",
		"Venn",
		"Wexcombe",
		"Yelland",
		"Arkle",
		"Bracken",
		"Coombe",
		"Drake-Hollis",
		"Emsley",
		"Fennel",
	}
	adjectives = []string{
		"Salt",
		"Quiet",
		"Long",
		"Crooked",
		"Northern",
		"Paper",
		"Borrowed",
		"Hollow",
		"Winter",
		"Second",
		"Patient",
		"Copper",
		"Drowned",
		"Narrow",
		"Slow",
		"Unlit",
		"Green",
		"Lost",
		"Small",
		"Weathered",
		"Distant",
		"Seventh",
		"Folded",
		"Bitter",
		"Early",
	}
	nouns = []string{
		"Choir",
		"Lantern",
		"Tide",
		"Orchard",
		"Harbour",
		"Ledger",
		"Gull",
		"Causeway",
		"Beehive",
		"Kettle",
		"Signal",
		"Weir",
		"Meadow",
		"Almanac",
		"Cartographer",
		"Ferry",
		"Compass",
		"Attic",
		"Moth",
		"Shingle",
		"Bell",
		"Mill",
		"Letter",
		"Garden",
		"Foxglove",
		"Island",
		"Winterhouse",
		"Keeper",
		"Net",
		"Stair",
	}
	subjects = []string{
		"Knots",
		"Small Engines",
		"Sourdough",
		"Tide Tables",
		"Beekeeping",
		"Hedges",
		"Kayaks",
		"Wool",
		"Compost",
		"Stone Walls",
		"Birdsong",
		"Weather",
		"Sailmaking",
		"Seaweed",
		"Clocks",
		"Moths",
		"Bread Ovens",
		"Dry Rot",
		"Lighthouses",
		"Choirs",
		"Ferries",
		"Mushrooms",
		"Net Mending",
		"Apple Trees",
		"Night Skies",
	}
	audiences = []string{
		"for Left Hands",
		"of the North",
		"for Lighthouse Keepers",
		"in Nine Lessons",
		"on a Small Budget",
		"for the Impatient",
		"and How They Work",
		"through the Year",
		"for Two",
		"in Plain Words",
		"of Orrin Sound",
		"without Tears",
		"by the Sea",
		"for Beginners",
	}
	things = []string{
		"Telescope, beginner's",
		"Ukulele, soprano",
		"Sewing kit",
		"Bird-watching kit",
		"Soil test kit",
		"Knitting loom",
		"Metal detector",
		"Projector",
		"Pasta machine",
		"Bicycle repair kit",
	}
	streets = []string{
		"Harbour Row",
		"Chapel Hill",
		"Net Loft Lane",
		"Mill Road",
		"Quay Street",
		"Lantern Terrace",
		"Weir Walk",
		"Gull Close",
		"Ferry Steps",
		"Orchard Way",
	}
)

func pick(r *rand.Rand, list []string) string { return list[r.IntN(len(list))] }

func personName(r *rand.Rand) string { return pick(r, givenNames) + " " + pick(r, surnames) }

// titleName invents a title of a material class; the number keeps magazines and kits apart.
func titleName(r *rand.Rand, material string, n int) string {
	switch material {
	case "magazine":
		return pick(r, nouns) + " Quarterly No. " + number(n%80+1)
	case "kit":
		return pick(r, things) + " (kit " + number(n) + ")"
	case "laptop":
		return "Laptop " + number(n)
	}
	switch r.IntN(6) {
	case 0:
		return pick(r, subjects) + " " + pick(r, audiences)
	case 1:
		return "The " + pick(r, nouns) + "'s " + pick(r, nouns)
	case 2:
		return article(pick(r, nouns)) + " for " + pick(r, givenNames)
	case 3:
		return pick(r, adjectives) + " " + pick(r, nouns) + ", " + pick(r, adjectives) + " " + pick(r, nouns)
	case 4:
		return pick(r, nouns) + " and " + pick(r, nouns)
	}
	return "The " + pick(r, adjectives) + " " + pick(r, nouns)
}

// article puts "A" or "An" before a noun.
func article(noun string) string {
	if strings.ContainsRune("AEIOU", rune(noun[0])) {
		return "An " + noun
	}
	return "A " + noun
}
