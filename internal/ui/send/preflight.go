package send

import (
	"context"
	"fmt"
	"slices"
	"strings"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/safe"
	sending "bastel/internal/send"
	"bastel/internal/ui/action"
	"bastel/internal/ui/kit"
	"bastel/internal/wording"
)

// preflight is the look at what would be sent: Now is what was found, and beside it stands
// each finding with what is done about it.
type preflight struct {
	screen *Model
	items  []sending.Item
	cursor int
	size   kit.Size
	half   kit.Half
}

// found is what the preflight has come to.
type found []sending.Item

func (m *Model) lookBefore() tea.Cmd {
	return kit.Find(m.ctx, Name, func(ctx context.Context) (found, error) {
		items, err := m.publishing.Preflight(ctx, "")
		return found(items), err
	})
}

// order puts what matters more first.
var order = map[sending.Level]int{sending.Block: 0, sending.Warn: 1, sending.OK: 2}

func newPreflight(m *Model, items found) *preflight {
	slices.SortStableFunc(items, func(a, b sending.Item) int { return order[a.Level] - order[b.Level] })
	return &preflight{screen: m, items: items}
}

// remedies say what enter does about a finding.
var remedies = map[string]string{
	sending.Linear:    "goes to Shape: its plan is a straight line, and a applies it.",
	sending.Subjects:  "goes to Shape, to what could be joined.",
	sending.Messages:  "goes to Shape, where m writes a message.",
	sending.Leftovers: "goes to Shape, and sweeps every commit.",
	sending.LargeFile: "goes to Shape, where i changes what a commit holds.",
	sending.Identity:  "goes to Shape, where @ changes an author.",
	sending.Checks:    "goes to Shape, and runs the check on every commit.",
	sending.Read:      "goes to the read-through.",
	sending.Remarks:   "goes to the read-through, where . marks a note as done.",
	sending.Reviewers: "goes to the read-through, where . marks a note as done.",
	sending.UpToDate:  "goes to Shape, with the plan onto the target.",
}

func (p *preflight) findings() (n int) {
	for _, item := range p.items {
		if item.Level != sending.OK {
			n++
		}
	}
	return n
}

func (p *preflight) move(rows int) {
	p.cursor = max(0, min(p.cursor+rows, len(p.items)-1))
}

func (p *preflight) Explain() (title, text string) {
	return "The preflight", "Now lists what was found in what would be sent, blocking findings first. Next shows the finding at the cursor " +
		"in full, and what enter does about it. The settings say what blocks, what warns and what is off."
}

func (p *preflight) Actions() []kit.Action {
	wrong := p.cursor < len(p.items) && p.items[p.cursor].Level != sending.OK
	actions := []kit.Action{
		kit.Act(action.GoMend, wrong, func() tea.Cmd {
			p.screen.over = nil
			return p.screen.mend(p.items[p.cursor].Name)
		}),
		kit.Act(action.Refresh, true, p.screen.lookBefore).Named("look again"),
		kit.Act(action.Back, true, p.screen.close).Named("back to the branch"),
	}
	moves := kit.Navigator{
		Move: p.move,
		Page: func(pages int) { p.move(len(p.items) * pages) },
		End: func(last bool) {
			p.cursor = 0
			if last {
				p.move(len(p.items))
			}
		},
		Turn: func(half kit.Half) { p.half = half },
	}
	return append(actions, moves.Actions()...)
}

func (p *preflight) View(size kit.Size, theme kit.Theme) []string {
	p.size = size
	left, between, right := kit.Columns(size, 2)
	switch {
	case size.Narrow && p.half == kit.Now:
		return p.list(size.Width, size.Height, theme)
	case size.Narrow:
		return p.finding(size.Width, size.Height, theme)
	}
	return kit.Join(p.list(left, size.Height, theme), kit.Pad(nil, between, size.Height), p.finding(right, size.Height, theme))
}

// sign tells how much a finding counts, without colour too.
func sign(level sending.Level, theme kit.Theme) (mark, word string, style kit.Style) {
	switch level {
	case sending.Block:
		return "■ ", "blocks", theme.Trouble
	case sending.Warn:
		return "□ ", "", theme.Next
	}
	return "· ", "", theme.Dim
}

func (p *preflight) list(width, height int, theme kit.Theme) []string {
	what := "nothing stands in the way"
	if n := p.findings(); n > 0 {
		what = wording.Count(n, "finding") + " before sending"
	}
	rows := []string{kit.Heading(width, "Now", what, true, theme.Now, theme, p.size.Narrow), kit.Blank(width)}
	for i, item := range p.items {
		backdrop, pointer := kit.Cursor(theme, i == p.cursor, 2)
		mark, word, style := sign(item.Level, theme)
		text := theme.Plain
		if item.Level == sending.OK {
			text = theme.Dim
		}
		rows = append(rows, kit.Split(width, backdrop, []kit.Seg{pointer, {Text: safe.Show(mark), Style: style},
			{Text: safe.Show(item.Message), Style: text}}, kit.Seg{Text: safe.Show(word), Style: style}))
	}
	return kit.Pad(rows, width, height)
}

// finding tells all of what was found at the cursor.
func (p *preflight) finding(width, height int, theme kit.Theme) []string {
	item := p.items[p.cursor]
	rows := []string{kit.Heading(width, "Next", strings.ReplaceAll(item.Name, "_", " "), false, theme.Next, theme, p.size.Narrow),
		kit.Blank(width)}
	say := func(text string, style kit.Style) {
		for _, line := range kit.Wrap(text, max(10, width-4)) {
			rows = append(rows, kit.Row(width, nil, kit.Seg{Text: safe.Show("  " + line), Style: style}))
		}
	}
	if item.Level == sending.OK {
		say("Nothing was found.", theme.Dim)
		return kit.Pad(rows, width, height)
	}
	say("enter "+remedies[item.Name], theme.Plain)
	rows = append(rows, kit.Blank(width))
	room := height - len(rows) - 1
	for i, line := range item.Details {
		if i == room && len(item.Details) > room+1 {
			say(fmt.Sprintf("… %d more", len(item.Details)-i), theme.Dim)
			break
		}
		rows = append(rows, kit.Row(width, nil, kit.Seg{Text: safe.Show("  " + safe.Line(line)), Style: theme.Dim}))
	}
	return kit.Pad(rows, width, height)
}

func (p *preflight) Click(_, y int) {
	if at := y - 2; at >= 0 && at < len(p.items) {
		p.cursor = at
	}
}

func (p *preflight) Wheel(_, turns int) { p.move(turns) }
