package chart

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path"
	"path/filepath"
	"slices"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app/charting"
	"bastel/internal/diff"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/tray"
	"bastel/internal/ui/action"
	"bastel/internal/ui/kit"
	"bastel/internal/ui/stream"
	"bastel/internal/wording"
)

// StoryOf asks how a file came to be what it is, with the cursor on the commit that wrote a line of it; leaving that goes
// back to a screen.
type StoryOf struct {
	kit.FileAt
	From string
}

// story shows the versions of a file: Now lists them, Next has what the one at the cursor changed, or all of it.
type story struct {
	charting.Story
	screen *Model
	cursor int
	top    int
	marked int // the version to compare with; -1: none
	half   kit.Half
	whole  bool // the whole text in place of what was changed
	from   string
	behind *difference // that it was asked from
	text   stream.Model
}

// told is a story that was read.
type told struct {
	story charting.Story
	at    int
	from  string
}

// shownVersion is what Next shows of a version.
type shownVersion struct {
	title string
	files []tray.File
}

// tellStory reads the story of a file.
func (m *Model) tellStory(of StoryOf) tea.Cmd {
	return kit.Find(m.ctx, Name, func(ctx context.Context) (told, error) {
		s, err := m.charting.Story(ctx, of.Point, of.Path)
		if err != nil || of.Line < 1 {
			return told{s, 0, of.From}, err
		}
		at, err := s.Wrote(ctx, of.Line)
		return told{s, at, of.From}, err
	})
}

func (m *Model) openStory(t told) tea.Cmd {
	s := &story{Story: t.story, screen: m, cursor: t.at, marked: -1, from: t.from}
	if d, ok := m.over.(*difference); ok {
		if s.behind = d; d.story != nil {
			s.behind = d.story.behind // one story comes in place of another
		}
	}
	m.over = s
	return tea.Batch(kit.Show(kit.Go{Screen: Name}), s.show())
}

// storyShown is the story that is on show, or lies below what is looked at; nil: none.
func (m *Model) storyShown() *story {
	switch over := m.over.(type) {
	case *story:
		return over
	case *difference:
		return over.story
	}
	return nil
}

// show reads what Next shows of the version at the cursor.
func (s *story) show() tea.Cmd {
	at, older, whole := s.cursor, s.cursor, s.whole
	if s.marked >= 0 && s.marked != at {
		older, at = max(s.marked, at), min(s.marked, at)
	}
	return s.screen.version.Begin(s.screen.ctx, Name, func(ctx context.Context) (shownVersion, error) {
		v := s.Versions[at]
		switch {
		case older != at:
			files, err := s.screen.charting.Changes(ctx, s.Story, older, at)
			return shownVersion{"from " + s.Versions[older].Commit.Short() + " to " + v.Commit.Short(), files}, err
		case whole:
			text, err := s.Text(ctx, at)
			return shownVersion{"all of it as of " + v.Commit.Short(), []tray.File{asItIs(v.Path, text)}}, err
		}
		files, err := s.screen.charting.Changes(ctx, s.Story, at, at)
		return shownVersion{"what " + v.Commit.Short() + " changed of it", files}, err
	})
}

// asItIs is a whole file as a difference in which nothing differs.
func asItIs(path string, text []byte) tray.File {
	h := tray.Hunk{ID: "all", Kind: tray.Text}
	for i, line := range diff.Split(text) {
		h.Lines = append(h.Lines, diff.Line{Op: diff.Keep, Old: i, New: i, Text: line})
	}
	if len(h.Lines) == 0 {
		h.Note = "nothing: it is empty, or deleted"
	}
	return tray.File{Path: path, Hunks: []tray.Hunk{h}}
}

// takeVersion takes what Next shows; the story may have been left meanwhile.
func (m *Model) takeVersion(read kit.Read[shownVersion]) {
	if s := m.storyShown(); m.version.Take(read) && s != nil {
		s.text.Set(read.Value.files)
	}
}

func (s *story) Actions() []kit.Action {
	m := s.screen
	to := func(by int) func() tea.Cmd { return func() tea.Cmd { return s.move(by) } }
	scroll := kit.Navigator{Move: s.text.Move, Page: s.text.Page, End: s.text.End}
	if s.half == kit.Now {
		scroll = kit.Navigator{}
	}
	actions := []kit.Action{
		kit.Act(action.Back, true, s.leave).Named("back to " + s.cameFrom()),
		kit.Act(action.VersionLook, true, func() tea.Cmd { return m.lookAtCommit(s.Versions[s.cursor].Commit) }),
		kit.Act(action.VersionText, true, func() tea.Cmd {
			s.whole = !s.whole
			return s.show()
		}).Named(map[bool]string{false: "all of the file", true: "what changed"}[s.whole]),
		kit.Act(action.VersionMark, true, func() tea.Cmd {
			s.mark()
			return s.show()
		}),
		kit.Act(action.TakeVersion, true, func() tea.Cmd {
			v := s.Versions[s.cursor]
			return m.takeFile(v.Commit.String(), v.Path, false)
		}),
		kit.Act(action.OpenVersion, true, s.open),
		kit.Asking(action.Search, true, func() tea.Cmd {
			s.half = kit.Next
			return kit.Show(s.text.Find("Find in what Next shows"))
		}),
		kit.Act(action.NextCommit, s.cursor > 0, to(-1)),
		kit.Act(action.PreviousCommit, s.cursor < len(s.Versions)-1, to(1)),
		kit.Act(action.ToNow, true, kit.Just(func() { s.half = kit.Now })),
		kit.Act(action.ToNext, true, kit.Just(func() { s.half = kit.Next })),
	}
	if s.half == kit.Next {
		return slices.Concat(actions, kit.Hunks(true, s.text.Hunk, s.text.File), scroll.Actions())
	}
	return append(actions, kit.Act(action.Down, true, to(1)), kit.Act(action.Up, true, to(-1)), kit.Act(action.PageDown, true, to(10)),
		kit.Act(action.PageUp, true, to(-10)), kit.Act(action.Top, true, to(-len(s.Versions))), kit.Act(action.End, true, to(len(s.Versions))))
}

func (s *story) move(by int) tea.Cmd {
	s.cursor = max(0, min(s.cursor+by, len(s.Versions)-1))
	return s.show()
}

// open writes the version at the cursor into a scratch folder, for the user's editor. The folder goes afterwards.
func (s *story) open() tea.Cmd {
	at, story := s.cursor, s.Story
	return kit.Find(s.screen.ctx, Name, func(ctx context.Context) (kit.Launch, error) {
		text, err := story.Text(ctx, at)
		if err != nil {
			return kit.Launch{}, err
		}
		dir, err := os.MkdirTemp("", "bastel-copy-")
		if err != nil {
			return kit.Launch{}, fmt.Errorf("make a scratch folder: %w", err)
		}
		file := filepath.Join(dir, path.Base(story.Versions[at].Path))
		if err := os.WriteFile(file, text, 0o666); err != nil {
			return kit.Launch{}, errors.Join(fmt.Errorf("write a copy: %w", err), os.RemoveAll(dir))
		}
		return kit.Launch{File: file, Done: func() tea.Msg {
			if err := os.RemoveAll(dir); err != nil {
				return kit.Notice{Text: err.Error(), Trouble: true}
			}
			return nil
		}}, nil
	})
}

func (s *story) mark() {
	if s.marked == s.cursor {
		s.marked = -1
		return
	}
	s.marked = s.cursor
}

// cameFrom is what leaving goes back to.
func (s *story) cameFrom() string {
	if s.behind != nil {
		return "the difference"
	}
	return s.from
}

func (s *story) leave() tea.Cmd {
	if s.screen.over = nil; s.behind != nil {
		s.screen.over = s.behind
	}
	if s.from == Name {
		return nil
	}
	return kit.Show(kit.Go{Screen: s.from})
}

func (s *story) View(size kit.Size, theme kit.Theme) []string {
	left, between, right := kit.Columns(size, 3)
	now := s.heading(left, theme, size.Narrow)
	next := kit.Heading(right, "Next", s.screen.version.Value.title, s.half == kit.Next, theme.Next, theme, size.Narrow)
	height := max(1, size.Height-2)
	list, text := s.list(left, height, theme), s.text.View(right, height, s.half == kit.Next, stream.Warm, theme)
	if size.Narrow {
		if s.half == kit.Now {
			return kit.Pad(append([]string{now, kit.Blank(size.Width)}, list...), size.Width, size.Height)
		}
		return kit.Pad(append([]string{next, kit.Blank(size.Width)}, text...), size.Width, size.Height)
	}
	rows := append([]string{now, kit.Blank(left)}, list...)
	beside := append([]string{next, kit.Blank(right)}, text...)
	return kit.Join(kit.Pad(rows, left, size.Height), kit.Pad(nil, between, size.Height), kit.Pad(beside, right, size.Height))
}

func (s *story) heading(width int, theme kit.Theme, narrow bool) string {
	note := wording.Count(len(s.Versions), "commit") + " up to " + s.screen.pointName(s.Point)
	return kit.Heading(width, "Now", safe.Line(s.Path)+"  "+note, s.half == kit.Now, theme.Now, theme, narrow)
}

// list has two rows for each version: its subject, and who made it when.
func (s *story) list(width, height int, theme kit.Theme) []string {
	s.top = kit.Scroll(s.top, 2*s.cursor+1, height, 2*len(s.Versions))
	var rows []string
	for at := s.top; at < min(s.top+height, 2*len(s.Versions)); at++ {
		i := at / 2
		v, commit := s.Versions[i], s.Sources[i].Commit
		backdrop, pointer := kit.Cursor(theme, i == s.cursor && s.half == kit.Now, 2)
		style := theme.Plain
		if i == s.cursor {
			style = theme.Strong
		}
		mark := " "
		if i == s.marked {
			mark = "■"
		}
		if at%2 == 0 {
			rows = append(rows, kit.Row(width, backdrop, pointer, kit.Seg{Text: safe.Show(mark + " "), Style: theme.Marked},
				kit.Seg{Text: safe.Show(safe.Line(commit.Subject())), Style: style}))
			continue
		}
		writer := commit.Writer()
		told := fmt.Sprintf("    %s  %s, %s", v.Commit.Short(), safe.Line(writer.Name), writer.When.Format("2 Jan 2006"))
		if v.From != "" {
			told += ", was " + safe.Line(v.From)
		}
		rows = append(rows, kit.Row(width, backdrop, kit.Seg{Text: safe.Show(told), Style: theme.Dim}))
	}
	return rows
}

// Explain tells of the view.
func (s *story) Explain() (title, text string) {
	return "A file's story", "Now lists the commits that changed the file, latest first, through its renames. Next shows what the one " +
		"at the cursor changed of it, or all of the file as of then, or what differs from a marked one."
}

// FileAtHand is the file that the cursor is on, as of a commit.
func (m *Model) FileAtHand() (kit.FileAt, bool) {
	switch over := m.over.(type) {
	case *difference:
		if !over.looked.IsZero() {
			return over.look.FileAt(over.looked, over.before)
		}
	case *story:
		return over.text.FileAt(over.Versions[over.cursor].Commit, repo.ID{})
	}
	return kit.FileAt{}, false
}

// Streams are those on show.
func (m *Model) Streams() []*stream.Model {
	switch over := m.over.(type) {
	case *difference:
		return []*stream.Model{&over.look}
	case *story:
		return []*stream.Model{&over.text}
	}
	return nil
}

// Click does nothing: what one goes to is by keys.
func (s *story) Click(int, int) {}

// Wheel scrolls the text.
func (s *story) Wheel(_, turns int) { s.text.Move(3 * turns) }
