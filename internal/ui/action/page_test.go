package action_test

import (
	"fmt"
	"slices"
	"strings"

	"bastel/internal/ui/action"
)

// places are the parts of the page, in their order.
var places = []action.Place{action.Everywhere, action.Map, action.Sort, action.Homes, action.Shape, action.Parts, action.Overlaps,
	action.Mend, action.Listing,
	action.Send, action.Reading, action.Preflight, action.Landing, action.Handing, action.Look, action.Telling, action.Choosing,
	action.Writing, action.Output, action.Nowhere}

// rowsOf lists the rows of a place, in the order of the table.
func rowsOf(place action.Place) (rows []action.Action) {
	for _, key := range action.Table {
		for _, a := range key.Actions {
			if slices.Contains(a.In, place) {
				rows = append(rows, action.Find(a.ID))
			}
		}
	}
	return rows
}

// keysPage writes the table as Markdown, the text of docs/keys.md.
func keysPage() string {
	var b strings.Builder
	b.WriteString("# Keys\n\nMade from the table in `internal/ui/action`. The line at the bottom of each screen says what the keys do " +
		"there, " +
		"`?` explains what is shown,\n`:` finds an action by its name or by the word that you know for it, and `;` lists what has no key of " +
		"its own.\nMouse click and wheel work too. Below 100 columns the halves are pages.\n")
	for _, place := range places {
		rows := rowsOf(place)
		if len(rows) == 0 {
			continue
		}
		fmt.Fprintf(&b, "\n## %s\n\n| key | action | what it does | command |\n| --- | --- | --- | --- |\n",
			strings.ToUpper(string(place)[:1])+string(place)[1:])
		for _, a := range rows {
			fmt.Fprintf(&b, "| %s | %s | %s | %s |\n", cell(a.AllKeys(), true), a.Name, a.Help, cell(a.Command, false))
		}
	}
	b.WriteString("\n## Each key, and its one meaning\n\n| key | means |\n| --- | --- |\n")
	for _, key := range action.Table {
		if len(key.Keys) == 0 {
			continue
		}
		means := key.Means
		if key.Except != "" {
			means += " " + key.Except
		}
		fmt.Fprintf(&b, "| %s | %s |\n", cell(action.Action{Keys: key.Keys, Shown: key.Shown}.AllKeys(), true), means)
	}
	b.WriteString("\n## Known by another name\n\n| what | here |\n| --- | --- |\n")
	for _, way := range action.Instead {
		fmt.Fprintf(&b, "| %s | %s |\n", way.Name, way.Says)
	}
	return b.String()
}

// cell writes keys or a command as code.
func cell(text string, keys bool) string {
	if text == "" {
		return map[bool]string{true: "`;`", false: ""}[keys]
	}
	parts := []string{"bastel " + text}
	if keys {
		parts = strings.Fields(text)
	}
	for i, part := range parts {
		parts[i] = "`" + strings.ReplaceAll(part, "|", "\\|") + "`"
	}
	return strings.Join(slices.Compact(parts), " ")
}
