package send

import (
	"cmp"
	"context"
	"fmt"
	"strings"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/app/publishing"
	"bastel/internal/lanes"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/ui/action"
	"bastel/internal/ui/kit"
	"bastel/internal/wording"
)

// landing is the way of the branch into its target: Now is the target as it is, Next as it
// will be.
type landing struct {
	screen *Model
	look   publishing.LandingLook
	how    publishing.Landing
	half   kit.Half
	top    int
	cursor int
	heads  int // rows above the commits
	size   kit.Size
}

// landed says that the landing is done.
type landed struct{}

func (m *Model) lookLanding() tea.Cmd {
	return kit.Find(m.ctx, Name, m.publishing.LookLanding)
}

func (l *landing) again() tea.Cmd {
	return l.screen.landing.Begin(l.screen.ctx, Name, l.screen.publishing.LookLanding)
}

func newLanding(m *Model, look publishing.LandingLook, how publishing.Landing) *landing {
	l := &landing{screen: m, look: look, how: how, half: kit.Next}
	l.cursor = len(l.next()) - 1
	return l
}

// next is the target as it will be, oldest first; a merge commit has no source.
func (l *landing) next() []app.Source {
	list := append(append([]app.Source{}, l.look.Before...), l.look.Comes...)
	if l.how.Merge {
		list = append(list, app.Source{Message: l.how.Message})
	}
	return list
}

func (l *landing) Explain() (title, text string) {
	return "Landing", "Now is the branch's target as it was last fetched, Next as it will be. It moves forward in a straight line, unless " +
		"a merge is asked for, " +
		"only if the remote still has what is shown, and never by force. The branch is deleted only if all of it is in the target."
}

func (l *landing) Actions() []kit.Action {
	can := l.look.Missing == 0
	remove := "delete the branch"
	if l.how.Delete {
		remove = "keep the branch"
	}
	actions := []kit.Action{
		kit.Act(action.LandNow, can, l.land),
		kit.Act(action.DeleteLanded, can, func() tea.Cmd { l.how.Delete = !l.how.Delete; return nil }).Named(remove),
		kit.Asking(action.LandByMerge, can, l.merge),
		kit.Act(action.OntoTarget, !can, l.screen.catchUp),
		kit.Act(action.Back, true, l.screen.close).Named("back to the branch"),
	}
	moves := kit.Navigator{
		Move: l.move,
		Page: func(pages int) { l.move(10 * pages) },
		End: func(last bool) {
			l.cursor = 0
			if last {
				l.move(len(l.next()))
			}
		},
		Turn: func(half kit.Half) { l.half = half },
	}
	return append(actions, moves.Actions()...)
}

func (l *landing) move(rows int) { l.cursor = max(0, min(l.cursor+rows, len(l.next())-1)) }

func (l *landing) merge() tea.Cmd {
	text := cmp.Or(l.how.Message, publishing.MergeMessage(l.look.Branch))
	return kit.Show(kit.Edit{Title: "Message of the merge", Text: text, Suffix: "COMMIT_EDITMSG", Done: func(text string) tea.Cmd {
		l.how.Message = app.CleanMessage(text)
		l.how.Merge = l.how.Message != ""
		l.cursor = len(l.next()) - 1
		return nil
	}})
}

// land carries the landing out. Where the target has moved on, it offers the way there.
func (l *landing) land() tea.Cmd {
	m := l.screen
	return kit.Start(kit.Work[kit.Got]{
		Title: "Landing " + safe.Line(l.look.Branch),
		Do: func(ctx context.Context, report func(string)) (kit.Got, error) {
			done, err := m.publishing.Land(ctx, l.how, report)
			if publishing.MovedOn(err) {
				question := app.QuestionOf(err) + " y fetches, and puts your commits onto it in Shape."
				return kit.Got{Msg: kit.Ask{Question: question, Key: "y", Yes: m.catchUp()}}, nil
			}
			if err != nil {
				return kit.Got{}, err
			}
			got := kit.ToScreen(Name, landed{})
			got.Note = strings.TrimSpace(app.WithWarnings(fmt.Sprintf("%s is at %s now.", done.Target, done.New.Short()), done.Warnings) + " " +
				strings.Join(done.Notes, "\n"))
			return got, nil
		},
	})
}

// caughtUp says that the target is known as it is now.
type caughtUp struct{}

// catchUp fetches, and goes to Shape with the plan onto the target.
func (m *Model) catchUp() tea.Cmd {
	return kit.Start(kit.Work[string]{
		Title: "Fetching",
		Do: func(ctx context.Context, report func(string)) (string, error) {
			_, err := m.publishing.Fetch(ctx, report)
			return "Fetched. The plan now goes onto the target; a applies it.", err
		},
		Then: kit.Show(kit.ForScreen{Screen: Name, Msg: caughtUp{}}),
	})
}

// says tells what will happen.
func (l *landing) says() []string {
	if n := l.look.Missing; n > 0 {
		return []string{fmt.Sprintf("%s has %s that %s does not have, so it cannot move forward to it. ) puts the branch onto it.",
			l.look.Target, wording.Count(n, "commit"), l.look.Branch)}
	}
	lines := []string{fmt.Sprintf("It moves forward by %s, on the remote and here.", wording.Count(len(l.look.Comes), "commit"))}
	if l.how.Merge {
		lines[0] = fmt.Sprintf("It takes in %s by a merge commit, on the remote and here.", wording.Count(len(l.look.Comes), "commit"))
	}
	if l.how.Delete {
		lines = append(lines, l.look.Branch+" is deleted afterwards. "+l.look.There)
	} else {
		lines = append(lines, l.look.Branch+" stays.")
	}
	if len(l.look.Approved) > 0 {
		lines = append(lines, "Approved by "+strings.Join(l.look.Approved, ", ")+".")
	}
	if n := l.look.OpenRemarks; n > 0 {
		lines = append(lines, wording.Count(n, "remark")+" not done yet.")
	}
	return lines
}

func (l *landing) View(size kit.Size, theme kit.Theme) []string {
	l.size = size
	now, seam, next := kit.Columns(size, kit.SeamWidth(size.Width))
	if size.Narrow {
		now, next = size.Width, size.Width
	}
	heads := [2][]string{l.headNow(now, theme), l.headNext(next, theme)}
	l.heads = max(headRows, len(heads[kit.Next])+1)
	body := max(rowHeight, size.Height-l.heads)
	l.top = kit.Scroll(l.top, l.cursor, body/rowHeight, len(l.next()))
	if size.Narrow {
		return kit.Pad(append(kit.Pad(heads[l.half], size.Width, l.heads), l.body(l.half, size.Width, body, theme)...), size.Width, size.Height)
	}
	var strands []kit.Strand
	for i := range l.look.Before {
		strands = append(strands, kit.Strand{Thread: lanes.Thread{From: i - l.top, To: i - l.top}, Bright: i == l.cursor})
	}
	left := append(kit.Pad(heads[kit.Now], now, l.heads), l.body(kit.Now, now, body, theme)...)
	right := append(kit.Pad(heads[kit.Next], next, l.heads), l.body(kit.Next, next, body, theme)...)
	return kit.Join(left, append(kit.Pad(nil, seam, l.heads), kit.Seam(strands, seam, body, rowHeight, 0, theme)...), right)
}

func (l *landing) headNow(width int, theme kit.Theme) []string {
	return []string{
		kit.Heading(width, "Now", safe.Line(l.look.Target), l.half == kit.Now, theme.Now, theme, l.size.Narrow),
		kit.Row(width, nil, kit.Seg{Text: safe.Show("  " + asFetched(l.look.Fetched)), Style: theme.Dim}),
	}
}

func (l *landing) headNext(width int, theme kit.Theme) []string {
	what, style := safe.Line(l.look.Target)+", landed", theme.Next
	if l.look.Missing > 0 {
		what, style = safe.Line(l.look.Target)+", not yet", theme.Trouble
	}
	rows := []string{kit.Heading(width, "Next", what, l.half == kit.Next, theme.Next, theme, l.size.Narrow)}
	for _, says := range l.says() {
		for _, line := range kit.Wrap(safe.Line(says), max(10, width-3)) {
			rows = append(rows, kit.Row(width, nil, kit.Seg{Text: safe.Show("  " + line), Style: style}))
		}
	}
	return rows
}

func (l *landing) body(half kit.Half, width, height int, theme kit.Theme) []string {
	list := l.look.Before
	if half == kit.Next && l.look.Missing == 0 {
		list = l.next()
	}
	var rows []string
	for i := l.top; i < len(list) && len(rows)+rowHeight <= height; i++ {
		backdrop, pointer := kit.Cursor(theme, l.half == half && i == l.cursor, 1)
		title, note, state := theme.Plain, "a merge commit", ""
		switch {
		case i < len(l.look.Before):
			title = theme.Dim
		case l.look.Missing == 0:
			state = "lands"
		}
		if s := list[i]; s.Commit != nil {
			note = s.ID.Short() + "  " + safe.Line(s.Commit.Writer().Name)
		}
		rows = append(rows,
			kit.Split(width, backdrop, []kit.Seg{pointer, {Text: " "}, {Text: safe.Show(repo.Subject(list[i].Message)), Style: title}},
				kit.Seg{Text: safe.Show(state), Style: theme.Dim}),
			kit.Row(width, backdrop, pointer, kit.Seg{Text: safe.Show(" " + note), Style: theme.Dim}))
	}
	return kit.Pad(rows, width, height)
}

func (l *landing) Click(x, y int) {
	l.half = kit.HalfAt(l.size, kit.SeamWidth(l.size.Width), x, l.half)
	if y >= l.heads {
		l.cursor = l.top + (y-l.heads)/rowHeight
		l.move(0)
	}
}

func (l *landing) Wheel(_, turns int) { l.move(turns) }
