package demo

import (
	"math/rand/v2"
	"strings"
)

// words reads a list as it is written below: by commas, over several lines.
func words(list string) []string {
	out := strings.Split(list, ",")
	for k := range out {
		out[k] = strings.TrimSpace(out[k])
	}
	return out
}

// Names of people and streets. All of it is invented.
var (
	givenNames = words(`Ines, Mart, Oda, Rune, Tova, Elio, Sanne, Jory, Maude, Perrin, Linnet, Corin, Yara, Anselm, Brid, Davin, Esme, Faro, Greta, Hale,
		Ilka, Joss, Kerra, Lowen, Mirja, Nils, Orla, Pell, Quill, Roswen, Soren, Tamsin, Ulla, Vesper, Wren, Ysolde, Zenna, Amara, Bodil,
		Cado, Demelza, Edda, Finch, Gwenna, Hedda, Ivo, Jenifer, Kitto, Lark, Merryn`)
	surnames = words(`Kallas, Ostby, Amara, Trevane, Holloway-Finn, Marsk, Brannock, Tideman, Sorrel, Vantry, Pellow, Quist, Rasmur, Skerry, Tolman,
		Umbra, Veldt, Wardle, Yarrow, Zeller, Ashgrove, Birkett, Corran, Dunmore, Elverson, Farrow, Gantry, Hexam, Irwell, Jorund,
		Kestrel, Lomas, Mewett, Norrback, Orchard, Penrose, Quayle, Rook, Stannard, Thorne, Ullman, Venn, Wexcombe, Yelland, Arkle,
		Bracken, Coombe, Drake-Hollis, Emsley, Fennel`)
	streets = words(`Harbour Row, Chapel Hill, Net Loft Lane, Mill Road, Quay Street, Lantern Terrace, Weir Walk, Gull Close, Ferry Steps,
		Orchard Way`)
)

func pick(r *rand.Rand, list []string) string { return list[r.IntN(len(list))] }

func personName(r *rand.Rand) string { return pick(r, givenNames) + " " + pick(r, surnames) }
