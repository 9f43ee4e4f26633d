package demo

// A commit of the story: who, when (minutes after the story's first minute), the
// message, and the edits that it makes.
type scene struct {
	who     person
	minute  int
	message string
	edits   []edit
}

type person struct{ name, email string }

// The people of the harbour office. Ines is the user.
var (
	ines  = person{"Ines Falk", "ines@lanternquay.example"}
	oskar = person{"Oskar Brandt", "oskar@lanternquay.example"}
	mira  = person{"Mira Lund", "mira@lanternquay.example"}
)

// An edit replaces one piece of a file's text by another. Without an old piece it
// makes the file, or adds to its end; without either it deletes the file. From
// names the path that the file had before.
type edit struct {
	path, old, new string
	from           string
	all            bool // wherever the old text stands
}

// mainBefore is the target branch up to where the feature branch leaves it.
var mainBefore = []scene{
	{mira, 300, "Say in the guide what the red book is for\n", []edit{
		{path: "docs/guide.md", old: "and note the ship in the red book.\n",
			new: "and note the ship in the red book: name, flag, and since when it waits.\n"},
	}},
	{oskar, 1450, "Refresh the board every half minute\n\nThe harbour master looked at a plan that was a minute old, and sent\na ferry " +
		"away.\n", []edit{
		{path: "web/board.js", old: "setInterval(show, 60000);", new: "setInterval(show, 30000);"},
		{path: "config/quay.toml", old: "refresh = 60", new: "refresh = 30"},
	}},
}

// branch is the feature branch as Ines left it: small commits, some mending
// earlier ones, out of order, one by mistake, debug lines in several.
var branch = []scene{
	{ines, 2880, "Read the berth table\n\nThe berths stood in the program. The office changes them each spring,\nand should not need a " +
		"programmer for it.\n", []edit{
		{path: "berth/table.go", new: `package berth

import (
	"encoding/csv"
	"os"
	"strconv"
)

// ReadTable reads the berths: quay, number, length.
func ReadTable(path string) ([]Berth, error) {
	file, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer file.Close()
	rows, err := csv.NewReader(file).ReadAll()
	if err != nil {
		return nil, err
	}
	var table []Berth
	for _, row := range rows {
		number, _ := strconv.Atoi(row[1])
		length, _ := strconv.Atoi(row[2])
		table = append(table, Berth{Quay: row[0], Number: number, Length: length})
	}
	return table, nil
}
`},
		{path: "berths.csv", new: "East Quay,1,60\nEast Quay,2,45\nNorth Mole,1,120\nNorth Mole,2,90\nFish Steps,1,18\n"},
	}},
	{ines, 2931, "tide offsets\n", []edit{
		{path: "tide/offsets.go", new: `package tide

// offsets are what a quay's water differs from the gauge's, in minutes.
var offsets = map[string]int{
	"East Quay":  0,
	"North Mole": -12,
}

// Offset gives a quay's difference to the gauge.
func Offset(quay string) int {
	return offsets[quay]
}
`},
	}},
	{ines, 2950, "Try the red theme\n", []edit{
		{path: "web/board.css", old: "  color: #1d2b36;\n  background: #f3f6f7;\n", new: "  color: #ffffff;\n  background: #a3001b;\n"},
	}},
	{ines, 3004, "mooring depth\n", []edit{
		{path: "config/quay.toml", old: "east_quay = 6\nnorth_mole = 9\n", new: "east_quay = 7\nnorth_mole = 11\n"},
		{path: "berth/depth.go", new: `package berth

import "fmt"

// depths are the depths at the quays, in metres.
var depths = map[string]int{
	"East Quay":  7,
	"North Mole": 11,
	"Fish Steps": 2,
}

// Fits says whether a ship floats at a berth.
func Fits(b Berth, s Ship) bool {
	fmt.Println("DEBUG fits", b, s)
	return depths[b.Quay] > s.Draught
}
`},
	}},
	{ines, 3040, "more tide\n", []edit{
		{path: "tide/offsets.go", old: "\t\"North Mole\": -12,\n", new: "\t\"North Mole\": -12,\n\t\"Fish Steps\": 7,\n"},
		{path: "tide/offsets.go", old: "\treturn offsets[quay]\n", new: "\tprintln(\"DEBUG offset\", quay)\n\treturn offsets[quay]\n"},
	}},
	{ines, 3100, "parser again\n", []edit{
		{path: "berth/table.go", old: "\t\tnumber, _ := strconv.Atoi(row[1])\n\t\tlength, _ := strconv.Atoi(row[2])\n",
			new: "\t\tnumber, err := strconv.Atoi(row[1])\n\t\tif err != nil {\n\t\t\treturn nil, err\n\t\t}\n\t\tlength, err := " +
				"strconv.Atoi(row[2])\n\t\tif err != nil {\n\t\t\treturn nil, err\n\t\t}\n"},
	}},
	{ines, 4320, "Show berths on the board\n\nThe hall wants to see at a glance where to go.\n", []edit{
		{path: "web/board.js", old: "    row.insertCell().textContent = line;\n",
			new: "    const [ship, place] = line.split(\": \");\n    console.log(\"row\", ship, place);\n    row.insertCell().textContent = " +
				"ship;\n    row.insertCell().textContent = place ?? \"\";\n"},
		{path: "web/ticker.js", old: "Welcome to Lantern Quay", new: "Welcome to Lantern Quay. Berths are on the board."},
	}},
	{ines, 4377, "newer chart-lines\n", []edit{
		{path: "web/package-lock.json", old: "      \"version\": \"2.1.0\",\n      \"integrity\": \"sha512-aGFyYm91cjIxMA==\"\n",
			new: "      \"version\": \"2.2.0\",\n      \"integrity\": \"sha512-aGFyYm91cjIyMA==\"\n"},
		{path: "web/package-lock.json", old: "\"version\": \"2.1.0\"", new: "\"version\": \"2.2.0\"", all: true},
	}},
	{ines, 4390, "depth at fish steps was wrong\n", []edit{
		{path: "berth/depth.go", old: "\t\"Fish Steps\": 2,\n", new: "\t\"Fish Steps\": 3,\n"},
		{path: "config/quay.toml", old: "fish_steps = 2\n", new: "fish_steps = 3\n"},
	}},
	{ines, 4455, "Open at five in summer\n", []edit{
		{path: "config/quay.toml", old: "opens = \"05:30\"\n", new: "opens = \"05:00\"\n"},
	}},
	{ines, 4470, "guide: the table\n", []edit{
		{path: "docs/guide.md", old: "2. Check the tide table on the wall.\n",
			new: "2. Check the tide table on the wall, and `berths.csv` in spring.\n"},
	}},
}

// sentBefore is how many commits of the branch the remote has from an earlier push.
const sentBefore = 6

// mainAfter is what colleagues did on the target branch meanwhile.
var mainAfter = []scene{
	{mira, 3300, "Depth in centimetres\n\nHalf metres matter at the Fish Steps.\n", []edit{
		{path: "config/quay.toml", old: "unit = \"m\"\neast_quay = 6\nnorth_mole = 9\nfish_steps = 2\n",
			new: "unit = \"cm\"\neast_quay = 620\nnorth_mole = 940\nfish_steps = 250\n"},
	}},
	{oskar, 3420, "Call the guide a handbook\n", []edit{
		{path: "docs/handbook.md", from: "docs/guide.md", old: "# Guide for the harbour office", new: "# Handbook of the harbour office"},
	}},
	{oskar, 3500, "Take the ticker off the board\n\nNobody could read it.\n", []edit{
		{path: "web/ticker.js"},
	}},
	{mira, 4330, "Bring the board's packages up to date\n", []edit{
		{path: "web/package-lock.json", old: "      \"version\": \"2.1.0\",\n      \"integrity\": \"sha512-aGFyYm91cjIxMA==\"\n",
			new: "      \"version\": \"2.3.1\",\n      \"integrity\": \"sha512-aGFyYm91cjIzMQ==\"\n"},
		{path: "web/package-lock.json", old: "\"version\": \"2.1.0\"", new: "\"version\": \"2.3.1\"", all: true},
		{path: "web/package-lock.json", old: "\"version\": \"0.9.1\"", new: "\"version\": \"1.0.0\""},
	}},
	{mira, 4400, "Summer hours: open at five\n", []edit{
		{path: "config/quay.toml", old: "opens = \"05:30\"\n", new: "opens = \"05:00\"\n"},
	}},
}

// loose is what lies in Ines's working tree: three intents, a leftover, and a bit that
// was forgotten in an earlier commit of the branch.
var loose = []edit{
	// Ships lie where there is water enough.
	{path: "berth/plan.go", old: "// find gives the shortest free berth that is long enough, or -1.\n",
		new: "// find gives the shortest free berth that is long and deep enough, or -1.\n"},
	{path: "berth/plan.go", old: "\t\tif b.Length >= ship.Length {\n", new: "\t\tif b.Length >= ship.Length && Fits(b, ship) {\n"},
	{path: "berth/plan.go", old: "\t{\"Fish Steps\", 1, 18},\n}\n", new: "\t{\"Fish Steps\", 1, 18},\n\t{\"Fish Steps\", 2, 18},\n}\n"},
	// A leftover.
	{path: "berth/plan.go", old: "\tDraught int // metres\n}\n", new: "\tDraught int // metres\n}\n\nfunc init() { fmt.Println(\"DEBUG " +
		"plan.go loaded\") }\n"},
	{path: "berth/plan_test.go", new: `package berth

import "testing"

func TestDeepShipsGoToTheMole(t *testing.T) {
	got := Plan([]Ship{{"Nordlicht", 40, 8}})
	if got[0] != "Nordlicht: North Mole 2" {
		t.Errorf("got %q", got[0])
	}
}
`},
	// Forgotten when the table was read.
	{path: "berth/table.go", old: "// ReadTable reads the berths: quay, number, length.\n",
		new: "// ReadTable reads the berths: quay, number, length in metres.\n"},
	// The guide.
	{path: "docs/guide.md", old: "Call the pilot, offer him coffee,\n", new: "Call the pilot, offer coffee,\n"},
	{path: "docs/guide.md", old: "The plan of yesterday is in the drawer. Cross out what has left.\n",
		new: "The plan of yesterday is in the drawer. Cross out what has left, and ring\nthe lock keeper.\n"},
	// The board.
	{path: "web/board.html", old: "  <title>Lantern Quay – today</title>\n", new: "  <title>Berths at Lantern Quay</title>\n"},
}

// lights and lightsColours are a stack: the second sits on the first. ropes stands beside them; both want to be squashed
// and landed.
var lights = []scene{
	{ines, 3100, "lamps of the mole\n", []edit{{path: "lights/lamps.txt", new: "North Mole  white  5 s\n"}}},
	{ines, 3130, "more lamps\n", []edit{{path: "lights/lamps.txt", new: "Fish Steps  green  3 s\n"}}},
	{ines, 3150, "Lamps: the sector of the North Mole\n", []edit{{path: "lights/lamps.txt", old: "white  5 s", new: "white  5 s  040-220"}}},
}

var lightsColours = []scene{
	{ines, 3200, "Colours as the chart has them\n", []edit{{path: "lights/colours.txt", new: "white W\ngreen G\nred R\n"}}},
	{ines, 3220, "Amber too\n", []edit{{path: "lights/colours.txt", new: "amber Am\n"}}},
}

var ropes = []scene{
	{ines, 4400, "List the mooring ropes\n", []edit{{path: "ropes/list.txt", new: "8 headlines\n8 stern lines\n"}}},
	{ines, 4420, "ropes again\n", []edit{{path: "ropes/list.txt", new: "12 springs\n"}}},
}

// alarm is what Mira works on.
var alarm = []scene{
	{mira, 3000, "Ring the lock keeper at low water\n", []edit{{path: "alarm/ring.txt", new: "low water: lock\n"}}},
	{mira, 3040, "Ring twice\n", []edit{{path: "alarm/ring.txt", old: "lock\n", new: "lock, twice\n"}}},
	{mira, 3090, "Be silent at night\n", []edit{{path: "alarm/ring.txt", new: "22:00 to 06:00: nobody\n"}}},
}
