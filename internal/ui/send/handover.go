package send

import (
	"context"
	"fmt"
	"strings"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/safe"
	"bastel/internal/ui/action"
	"bastel/internal/ui/kit"
	"bastel/internal/wording"
)

// handing are the forms in which the series goes to others: Now lists them, Next shows the
// text of the one at the cursor.
type handing struct {
	screen *Model
	cursor int
	top    int // of the text
	half   kit.Half
	size   kit.Size
	texts  [formCount][]string // by form: what was read, as lines
}

// form is one of the texts that others get.
type form int

const (
	requestText form = iota
	mailbox
	difference
	formCount
)

// forms say of each text what it is, and how its file ends.
var forms = [formCount]struct{ name, detail, ending string }{
	requestText: {"a request for review", "Markdown: what and why, the commits, what changed since the last push", ".md"},
	mailbox:     {"a mailbox of patches", "commit by commit; a subject in brackets stays with: git am --keep-non-patch", ".mbox"},
	difference:  {"one difference", "unified, of the whole branch", ".diff"},
}

// handed are the texts that were read.
type handed [formCount][]byte

// handOver reads what could be handed over.
func (m *Model) handOver() tea.Cmd {
	return kit.Find(m.ctx, Name, func(ctx context.Context) (handed, error) {
		var texts handed
		for f := range formCount {
			var err error
			if texts[f], err = m.textOf(ctx, f); err != nil {
				return handed{}, err
			}
		}
		return texts, nil
	})
}

func (m *Model) textOf(ctx context.Context, f form) ([]byte, error) {
	if f == requestText {
		text, err := m.publishing.Request(ctx)
		return []byte(text), err
	}
	text, _, err := m.publishing.Patches(ctx, f == difference)
	return text, err
}

func newHanding(m *Model, texts handed) *handing {
	h := &handing{screen: m}
	for f, text := range texts {
		h.texts[f] = strings.Split(safe.Text(string(text)), "\n")
	}
	return h
}

func (h *handing) Explain() (title, text string) {
	return "Export", "Now lists the forms in which the series goes to others, Next shows the text of the one at the cursor as it is."
}

func (h *handing) Actions() []kit.Action {
	m, f := h.screen, form(h.cursor)
	actions := []kit.Action{
		kit.Act(action.IntoFile, true, func() tea.Cmd { return m.write(f) }),
		kit.Act(action.ToClipboard, true, func() tea.Cmd { return m.copyText(f) }),
		kit.Act(action.Back, true, m.close).Named("back to the branch"),
	}
	moves := kit.Navigator{
		Move: h.move,
		Page: func(pages int) { h.scroll(pages * max(1, h.size.Height-headRows)) },
		End: func(last bool) {
			h.cursor, h.top = 0, 0
			if last {
				h.cursor = int(formCount) - 1
			}
		},
		Turn: func(half kit.Half) { h.half = half },
	}
	return append(actions, moves.Actions()...)
}

// move goes from form to form, and within the text where that has the cursor.
func (h *handing) move(rows int) {
	if h.half == kit.Next {
		h.scroll(rows)
		return
	}
	h.cursor, h.top = max(0, min(h.cursor+rows, int(formCount)-1)), 0
}

func (h *handing) scroll(rows int) {
	h.top = max(0, min(h.top+rows, len(h.texts[h.cursor])-1))
}

func (m *Model) copyText(f form) tea.Cmd {
	return kit.Find(m.ctx, Name, func(ctx context.Context) (copied, error) {
		text, err := m.textOf(ctx, f)
		return copied{forms[f].name, string(text)}, err
	})
}

// copied is a text for the clipboard.
type copied struct{ what, text string }

func (c copied) toClipboard() tea.Cmd {
	return tea.Batch(tea.SetClipboard(c.text), kit.Say(fmt.Sprintf("On the clipboard: %s, %s, if the terminal lets programs reach it.",
		c.what, wording.Count(strings.Count(c.text, "\n"), "line"))))
}

// write asks for a new file, and writes a text into it.
func (m *Model) write(f form) tea.Cmd {
	return kit.IntoFile("Into which file?", m.series.Branch, forms[f].ending, func(ctx context.Context, file string) (string, error) {
		data, err := m.textOf(ctx, f)
		if err != nil {
			return "", err
		}
		return m.app.WriteNew(file, data)
	})
}

func (h *handing) View(size kit.Size, theme kit.Theme) []string {
	h.size = size
	left, between, right := kit.Columns(size, 2)
	if size.Narrow {
		if h.half == kit.Now {
			return h.list(size.Width, size.Height, theme)
		}
		return h.preview(size.Width, size.Height, theme)
	}
	return kit.Join(h.list(left, size.Height, theme), kit.Pad(nil, between, size.Height), h.preview(right, size.Height, theme))
}

func (h *handing) list(width, height int, theme kit.Theme) []string {
	rows := []string{kit.Heading(width, "Now", "hand over "+safe.Line(h.screen.series.Branch), h.half == kit.Now, theme.Now, theme,
		h.size.Narrow), kit.Blank(width)}
	for i, f := range forms {
		backdrop, pointer := kit.Cursor(theme, i == h.cursor, 2)
		rows = append(rows, kit.Row(width, backdrop, pointer, kit.Seg{Text: safe.Show(f.name), Style: theme.Plain}))
		for _, line := range kit.Wrap(f.detail, max(10, width-4)) {
			rows = append(rows, kit.Row(width, backdrop, pointer, kit.Seg{Text: safe.Show(line), Style: theme.Dim}))
		}
		rows = append(rows, kit.Blank(width))
	}
	return kit.Pad(rows, width, height)
}

func (h *handing) preview(width, height int, theme kit.Theme) []string {
	lines := h.texts[h.cursor]
	rows := []string{kit.Heading(width, "Next", fmt.Sprintf("%s, %s", forms[h.cursor].name, wording.Count(len(lines)-1, "line")),
		h.half == kit.Next, theme.Next, theme, h.size.Narrow), kit.Blank(width)}
	for _, line := range lines[min(h.top, len(lines)):] {
		for _, part := range kit.Wrap(kit.Expand(line), max(10, width-4)) {
			rows = append(rows, kit.Row(width, nil, kit.Seg{Text: safe.Show("  " + part), Style: theme.Plain}))
		}
		if len(rows) >= height {
			break
		}
	}
	return kit.Pad(rows, width, height)
}

func (h *handing) Click(x, y int) {
	h.half = kit.HalfAt(h.size, 2, x, h.half)
}

func (h *handing) Wheel(x, turns int) {
	h.half = kit.HalfAt(h.size, 2, x, h.half)
	h.move(turns)
}
