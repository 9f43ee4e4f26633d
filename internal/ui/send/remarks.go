package send

import (
	"context"
	"fmt"
	"slices"
	"strings"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/diff"
	"bastel/internal/review"
	"bastel/internal/safe"
	"bastel/internal/ui/kit"
	"bastel/internal/wording"
)

// write writes a remark on what the cursor is on, or changes the one that is there.
func (r *reading) write() tea.Cmd {
	if number := r.text.RemarkAtCursor(); number > 0 && r.half == kit.Next {
		if n := r.data.Record.Remark(number); n != nil && n.By == "" {
			return kit.Show(kit.Edit{Title: fmt.Sprintf("Remark %d", number), Text: n.Text, Suffix: ".md", Done: func(text string) tea.Cmd {
				if strings.TrimSpace(text) == "" {
					return kit.Say("A remark needs a text. x deletes it.")
				}
				return r.change("Changed.", func() error { return r.screen.publishing.RewordRemark(number, text) })
			}})
		}
	}
	anchor, where := r.anchor()
	return kit.Show(kit.Edit{Title: "Remark on " + safe.Line(where), Suffix: ".md", Done: func(text string) tea.Cmd {
		if strings.TrimSpace(text) == "" {
			return kit.Say("No remark was made.")
		}
		return r.change("Noted.", func() error {
			_, err := r.screen.publishing.AddRemark(r.data.Branch, anchor, text)
			return err
		})
	}})
}

// anchor says what a remark would be about, for the record and for people.
func (r *reading) anchor() (review.Anchor, string) {
	at := review.Place{Commit: r.commit, File: -1, Hunk: -1, Line: -1}
	if r.half == kit.Next {
		at.File, at.Hunk, at.Line = r.text.PlaceAtCursor()
		if at.Hunk >= 0 && at.Line < 0 {
			at.Line = slices.IndexFunc(r.at().Files[at.File].Hunks[at.Hunk].Lines, func(l diff.Line) bool { return l.Op != diff.Keep })
		}
	}
	if r.whole && at.Line >= 0 {
		// The remark goes to the commit that the line is from; a line around a change to the last one.
		remark := review.Remark{Anchor: review.AnchorOf(r.data.Whole, at)}
		if in, found := remark.Find(r.data.Series); found {
			at = in
		} else {
			at = review.Place{Commit: len(r.data.Series) - 1, File: -1, Hunk: -1, Line: -1}
		}
	}
	a := review.AnchorOf(r.data.Series[at.Commit], at)
	if a.Path == "" {
		return a, "the commit " + r.data.Sources[at.Commit].Commit.Subject()
	}
	return a, fmt.Sprintf("line %d of %s", a.Number, a.Path)
}

// noted says that the remarks were changed, in words to be shown.
type noted string

// again reads the read-through anew.
func (r *reading) again() tea.Cmd {
	return r.screen.through.Begin(r.screen.ctx, Name, r.screen.publishing.ReadThrough)
}

// change changes the remarks, has them read anew, and says so.
func (r *reading) change(said string, do func() error) tea.Cmd {
	return func() tea.Msg {
		if err := do(); err != nil {
			return kit.Notice{Text: app.Explain(err), Trouble: true}
		}
		return kit.ForScreen{Screen: Name, Msg: noted(said)}
	}
}

func (r *reading) closeRemark(number int) tea.Cmd {
	n := r.data.Record.Remark(number)
	if n == nil {
		return nil
	}
	said := "Done."
	if n.Settled {
		said = "Open again."
	}
	settled := !n.Settled
	return r.change(said, func() error { return r.screen.publishing.CloseRemark(number, settled) })
}

func (r *reading) drop(number int) tea.Cmd {
	return kit.Show(kit.Ask{
		Question: fmt.Sprintf("Remark %d will be deleted for good. y deletes it.", number), Key: "y",
		Yes: r.change("Dropped.", func() error { return r.screen.publishing.DropRemark(number) }),
	})
}

// list shows all remarks, the open ones first.
func (r *reading) list() tea.Cmd {
	remarks := slices.Clone(r.data.Remarks)
	slices.SortStableFunc(remarks, func(a, b review.Placed) int {
		switch {
		case a.Settled == b.Settled:
			return 0
		case b.Settled:
			return -1
		}
		return 1
	})
	choose := kit.Choose{Title: fmt.Sprintf("Remarks on %s: %d open", safe.Line(r.data.Branch), r.data.Open())}
	for _, n := range remarks {
		first, _, _ := strings.Cut(n.Text, "\n")
		where := n.Subject
		switch {
		case n.Gone:
			where = "its line is gone"
		case n.Anchor.Path != "":
			where = fmt.Sprintf("%s:%d in %s", n.Anchor.Path, n.Anchor.Number, n.Subject)
		}
		state := "open"
		if n.Settled {
			state = "settled"
		}
		option := kit.Option{Key: state, Label: fmt.Sprintf("%d  %s", n.Number, safe.Line(first)),
			Detail: safe.Line(strings.TrimPrefix(n.By+", "+where, ", "))}
		option.Do = func() tea.Cmd { return r.goTo(n) }
		choose.Options = append(choose.Options, option)
	}
	return kit.Show(choose)
}

func (r *reading) goTo(n review.Placed) tea.Cmd {
	if n.Gone {
		return r.gone(n)
	}
	r.whole, r.commit, r.half = false, n.Commit, kit.Now
	r.show()
	if n.Line >= 0 {
		r.half = kit.Next
		r.text.GoToLine(n.File, n.Hunk, n.Line)
	}
	return nil
}

// gone asks what shall be with a remark that has lost its line.
func (r *reading) gone(n review.Placed) tea.Cmd {
	return kit.Show(kit.Choose{Title: fmt.Sprintf("Remark %d has lost its line: %s%s", n.Number, n.Anchor.Sign, safe.Line(n.Anchor.Text)),
		Options: []kit.Option{
			{Label: "it is done, or open again", Do: func() tea.Cmd { return r.closeRemark(n.Number) }},
			{Label: "drop it", Do: func() tea.Cmd { return r.drop(n.Number) }},
			{Label: "leave it", Do: func() tea.Cmd { return nil }},
		}})
}

func (r *reading) receive() tea.Cmd {
	m := r.screen
	return kit.Start(kit.Work[string]{Title: "Asking the review service", Do: func(ctx context.Context, _ func(string)) (string, error) {
		got, err := m.publishing.ReceiveReview(ctx)
		return got.Says(), err
	}, Then: r.again()})
}

func (r *reading) export() tea.Cmd {
	text := review.Export(r.data.Branch, r.data.Remarks)
	return tea.Batch(tea.SetClipboard(text), kit.Say(wording.Count(len(r.data.Remarks),
		"remark")+" on the clipboard, if the terminal lets programs reach it; bastel remarks writes them."))
}
