package kit

import (
	"context"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/safe"
)

// Copied is something at the cursor that can be put on the clipboard.
type Copied struct{ Name, Text string }

// CopyOf asks which of several things is meant, and puts it on the clipboard.
func CopyOf(list []Copied) tea.Cmd {
	if len(list) == 0 {
		return Say("There is nothing at the cursor to be copied.")
	}
	choose := Choose{Title: "Put what on the clipboard?"}
	for _, c := range list {
		choose.Options = append(choose.Options, Option{Label: c.Name, Detail: firstOf(c.Text),
			Look: func(context.Context) (string, error) { return safe.Text(c.Text), nil },
			Do: func() tea.Cmd {
				return tea.Batch(tea.SetClipboard(c.Text), Say("On the clipboard, if the terminal lets programs reach it: "+c.Name+"."))
			}})
	}
	return Show(choose)
}

// firstOf is the beginning of a text, in a line.
func firstOf(text string) string {
	const enough = 60
	runes := []rune(safe.Line(text))
	return string(runes[:min(len(runes), enough)])
}
