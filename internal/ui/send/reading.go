package send

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/diff"
	"bastel/internal/review"
	"bastel/internal/safe"
	"bastel/internal/tray"
	"bastel/internal/ui/kit"
	"bastel/internal/ui/stream"
)

// reading is the read-through: Now is the series with what was read of it, and beside it
// stands what one commit changes, or all of them together.
type reading struct {
	screen *Model
	data   app.ReadThrough
	commit int
	whole  bool // all commits as one difference
	top    int
	half   kit.Half
	text   stream.Model
	ticked map[string]bool // by hunk id: what was ticked since the read-through was opened
	ticks  int
	keeper *kit.Keeper
	size   kit.Size
}

const (
	readingHead = 3
	messageRows = 7 // of a commit's message, at most
)

type leaveReading struct{}

// readThrough opens the read-through, at the first commit that was not read.
func (m *Model) readThrough() tea.Cmd {
	return kit.Read(m.ctx, Name, func(ctx context.Context) (any, error) { return m.app.ReadThrough(ctx) })
}

func newReading(m *Model, data app.ReadThrough) *reading {
	r := &reading{screen: m, data: data, half: kit.Next, ticked: map[string]bool{}, keeper: &kit.Keeper{}}
	r.toUnread()
	r.open()
	return r
}

// refresh takes a newer state of the series in, at the place where the old one was.
func (r *reading) refresh(data app.ReadThrough) {
	if r.commit < len(r.data.Series) {
		was := review.AnchorOf(r.data.Series[r.commit], review.Place{File: -1, Hunk: -1, Line: -1})
		if at := was.Successor(data.Series); at >= 0 {
			r.commit = at
		}
	}
	r.data = data
	r.commit = max(0, min(r.commit, len(data.Series)-1))
	r.mark()
	r.show()
}

// files is what is shown.
func (r *reading) files() []tray.File {
	if r.whole {
		return r.data.Whole
	}
	if r.commit >= len(r.data.Series) {
		return nil
	}
	return r.data.Series[r.commit].Files
}

// show lays out what stands at the right.
func (r *reading) show() {
	files := r.files()
	r.text.Set(files)
	read := map[string]bool{}
	for _, f := range files {
		for i, done := range r.data.Book.ReadHunks(f) {
			read[f.Hunks[i].ID] = done
		}
	}
	r.text.SetRead(read)
	r.showNotes()
}

// open lays out a commit from its beginning, at what was not read of it.
func (r *reading) open() {
	r.show()
	r.text.End(false)
	r.text.ToUnread()
}

// shown is the series that the notes are placed in.
func (r *reading) shown() []review.Commit {
	if r.whole {
		return []review.Commit{{Files: r.data.Whole}}
	}
	return r.data.Series
}

func (r *reading) showNotes() {
	notes := map[string]map[int][]stream.Note{}
	for _, n := range r.data.Notes {
		at, found := n.Find(r.shown())
		if !found || at.Line < 0 || !r.whole && at.Commit != r.commit {
			continue
		}
		id := r.files()[at.File].Hunks[at.Hunk].ID
		if notes[id] == nil {
			notes[id] = map[int][]stream.Note{}
		}
		notes[id][at.Line] = append(notes[id][at.Line], stream.Note{Number: n.Number, Head: head(n), Text: n.Text, Settled: n.Settled})
	}
	r.text.SetNotes(notes)
}

// head says of a note whose it is, and when it was made.
func head(n review.Placed) string {
	by := "your note"
	if n.By != "" {
		by = n.By
	}
	text := fmt.Sprintf("%d  %s, %s", n.Number, by, kit.Age(n.When, time.Now()))
	if n.Settled {
		first, _, _ := strings.Cut(n.Text, "\n")
		text += ", settled: " + first
	}
	return text
}

// toUnread goes to the next commit of which something was not read. It says whether there
// is one.
func (r *reading) toUnread() bool {
	for step := range r.data.Series {
		at := (r.commit + step) % len(r.data.Series)
		if read, all := r.data.Tally(at); read < all {
			r.commit = at
			return true
		}
	}
	return false
}

// tick notes that the hunk at the cursor was read, or takes that back, and goes on.
func (r *reading) tick() tea.Cmd {
	hunks := r.text.HunksAtCursor()
	r.text.Read()
	for _, h := range hunks {
		r.ticked[h.ID] = r.text.WasRead(h.ID)
	}
	r.mark()
	unread, _ := r.text.Unread()
	if unread == 0 && !r.whole && r.toUnread() {
		r.open()
	}
	return r.keep()
}

// tickCommit does so for all of the commit, or of what is shown.
func (r *reading) tickCommit() tea.Cmd {
	unread, _ := r.text.Unread()
	for _, f := range r.files() {
		for _, h := range f.Hunks {
			r.ticked[h.ID] = unread > 0
		}
	}
	r.mark()
	if unread > 0 && !r.whole && r.toUnread() {
		r.open()
	} else {
		r.show()
	}
	return r.keep()
}

// mark brings what was ticked into the book that is shown.
func (r *reading) mark() {
	for _, files := range r.everything() {
		for _, f := range files {
			r.data.Book.Tick(f, r.ticked, time.Now())
		}
	}
}

func (r *reading) everything() [][]tray.File {
	all := [][]tray.File{r.data.Whole}
	for _, c := range r.data.Series {
		all = append(all, c.Files)
	}
	return all
}

// keep writes what was ticked. Each writing has all ticks, so that a late one does no harm.
func (r *reading) keep() tea.Cmd {
	r.ticks++
	number, ticked := r.ticks, make(map[string]bool, len(r.ticked))
	for id, read := range r.ticked {
		ticked[id] = read
	}
	files := slices.Concat(r.everything()...)
	return func() tea.Msg {
		if err := r.keeper.Keep(number, func() error { return r.screen.app.TickRead(files, ticked) }); err != nil {
			return kit.Notice{Text: err.Error(), Trouble: true}
		}
		return nil
	}
}

func (r *reading) actions() []kit.Action {
	then := func(do func()) func() tea.Cmd { return func() tea.Cmd { do(); return nil } }
	has := len(r.data.Series) > 0
	number := r.noteHere()
	actions := []kit.Action{
		{Keys: []string{"v"}, Name: "read", Help: "Tick the hunk at the cursor off as read, and go on; once more takes it back. On the heading of a file: all of it; at the left: the commit.", Do: kit.When(has, r.tickHere)},
		{Keys: []string{"m"}, Asks: true, Name: "note", Help: "Write a note on the line at the cursor; at the left on the commit. On a note of yours: change it.", Do: kit.When(has, r.write)},
		{Keys: []string{"."}, Name: "settle", Help: "Say that the note at the cursor is settled, or open again.", Do: kit.When(number > 0, func() tea.Cmd { return r.settle(number) })},
		{Keys: []string{"b"}, Asks: true, Name: "notes", Help: "List all notes on the branch, and go to one.", Do: kit.When(len(r.data.Notes) > 0, r.list)},
		{Keys: []string{"n"}, Name: "next hunk", Help: "Go to the next hunk.", Do: then(func() { r.text.Hunk(1) })},
		{Keys: []string{"p"}, Name: "hunk before", Help: "Go to the hunk before.", Rare: true, Do: then(func() { r.text.Hunk(-1) })},
		{Keys: []string{"}"}, Name: "next commit", Help: "Go to the next commit.", Do: then(func() { r.step(1) })},
		{Keys: []string{"{"}, Name: "commit before", Help: "Go to the commit before.", Rare: true, Do: then(func() { r.step(-1) })},
		{Keys: []string{"="}, Name: r.wholeName(), Help: "Show the whole branch as one difference, or commit by commit.", Do: then(func() { r.whole = !r.whole; r.show() })},
		{Keys: []string{"x"}, Asks: true, Name: "drop the note", Help: "Take the note at the cursor away.", Rare: true, Do: kit.When(number > 0, func() tea.Cmd { return r.drop(number) })},
		{Keys: []string{"R"}, Name: "receive", Help: "Ask the review service that bastel.review names for comments and approvals.", Rare: true, Do: r.receive},
		{Keys: []string{"C"}, Name: "copy the notes", Help: "Put the notes on the clipboard, as Markdown.", Rare: true, Do: kit.When(len(r.data.Notes) > 0, r.export)},
		{Keys: []string{"N"}, Name: "next file", Help: "Go to the next file.", Rare: true, Do: then(func() { r.text.File(1) })},
		{Keys: []string{"P"}, Name: "file before", Help: "Go to the file before.", Rare: true, Do: then(func() { r.text.File(-1) })},
		{Keys: []string{"-"}, Name: "fold", Help: "Take the hunk at the cursor out of sight, or bring it back.", Rare: true, Do: then(r.text.Fold)},
		{Keys: []string{"esc"}, Name: "back to the branch", Help: "Show the branch there and here again.", Do: func() tea.Cmd { return kit.Show(kit.ForScreen{Screen: Name, Msg: leaveReading{}}) }},
	}
	moves := kit.Navigator{Move: r.text.Move, Page: r.text.Page, End: r.text.End, Turn: func(half kit.Half) { r.half = half }}
	if r.half == kit.Now {
		moves.Move, moves.Page = r.step, func(pages int) { r.step(10 * pages) }
		moves.End = func(last bool) {
			if last {
				r.step(len(r.data.Series))
			} else {
				r.step(-len(r.data.Series))
			}
		}
	}
	return append(actions, moves.Actions()...)
}

// noteHere is the number of the note that the keys mean; 0: none.
func (r *reading) noteHere() int {
	if r.half == kit.Next {
		return r.text.NoteAtCursor()
	}
	for _, n := range r.data.Notes {
		if !n.Gone && n.Commit == r.commit && n.Anchor.Path == "" {
			return n.Number
		}
	}
	return 0
}

func (r *reading) wholeName() string {
	if r.whole {
		return "by commits"
	}
	return "as a whole"
}

func (r *reading) step(commits int) {
	r.commit = max(0, min(r.commit+commits, len(r.data.Series)-1))
	r.whole = false
	r.open()
}

func (r *reading) tickHere() tea.Cmd {
	if r.half == kit.Now {
		return r.tickCommit()
	}
	return r.tick()
}

// write writes a note on what the cursor is on, or changes the one that is there.
func (r *reading) write() tea.Cmd {
	if number := r.text.NoteAtCursor(); number > 0 && r.half == kit.Next {
		if n := r.data.Book.Note(number); n != nil && n.By == "" {
			return kit.Show(kit.Edit{Title: fmt.Sprintf("Note %d", number), Text: n.Text, Suffix: ".md", Done: func(text string) tea.Cmd {
				if strings.TrimSpace(text) == "" {
					return kit.Say("A note needs a text. x drops it.")
				}
				return r.change("Changed.", func() error { return r.screen.app.RewordNote(number, text) })
			}})
		}
	}
	anchor, where := r.anchor()
	return kit.Show(kit.Edit{Title: "Note on " + safe.Line(where), Suffix: ".md", Done: func(text string) tea.Cmd {
		if strings.TrimSpace(text) == "" {
			return kit.Say("Nothing was noted.")
		}
		return r.change("Noted.", func() error {
			_, err := r.screen.app.AddNote(r.data.Branch, anchor, text)
			return err
		})
	}})
}

// anchor says what a note would be about, for the book and for people.
func (r *reading) anchor() (review.Anchor, string) {
	at := review.Place{Commit: r.commit, File: -1, Hunk: -1, Line: -1}
	if r.half == kit.Next {
		at.File, at.Hunk, at.Line = r.text.PlaceAtCursor()
		if at.Hunk >= 0 && at.Line < 0 {
			at.Line = slices.IndexFunc(r.files()[at.File].Hunks[at.Hunk].Lines, func(l diff.Line) bool { return l.Op != diff.Keep })
		}
	}
	if r.whole && at.Line >= 0 {
		// The note goes to the commit that the line is from; a line around a change to the last one.
		note := review.Note{Anchor: review.AnchorOf(review.Commit{Files: r.data.Whole}, at)}
		if in, found := note.Find(r.data.Series); found {
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

// readAgain is a newer state of the read-through, and what to say about it.
type readAgain struct {
	data app.ReadThrough
	said string
}

// again reads the read-through anew.
func (r *reading) again() tea.Cmd { return r.change("", func() error { return nil }) }

// change changes the notes, reads them anew, and says so.
func (r *reading) change(said string, do func() error) tea.Cmd {
	m := r.screen
	return kit.Read(m.ctx, Name, func(ctx context.Context) (any, error) {
		if err := do(); err != nil {
			return nil, err
		}
		data, err := m.app.ReadThrough(ctx)
		return readAgain{data, said}, err
	})
}

func (r *reading) settle(number int) tea.Cmd {
	n := r.data.Book.Note(number)
	if n == nil {
		return nil
	}
	said := "Settled."
	if n.Settled {
		said = "Open again."
	}
	settled := !n.Settled
	return r.change(said, func() error { return r.screen.app.SettleNote(number, settled) })
}

func (r *reading) drop(number int) tea.Cmd {
	return kit.Show(kit.Ask{
		Question: fmt.Sprintf("Note %d goes for good. y drops it.", number), Key: "y",
		Yes: r.change("Dropped.", func() error { return r.screen.app.DropNote(number) }),
	})
}

// list shows all notes, the open ones first.
func (r *reading) list() tea.Cmd {
	notes := slices.Clone(r.data.Notes)
	slices.SortStableFunc(notes, func(a, b review.Placed) int {
		switch {
		case a.Settled == b.Settled:
			return 0
		case b.Settled:
			return -1
		}
		return 1
	})
	choose := kit.Choose{Title: fmt.Sprintf("Notes on %s: %d open", safe.Line(r.data.Branch), r.data.Open())}
	for _, n := range notes {
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
		option := kit.Option{Key: state, Label: fmt.Sprintf("%d  %s", n.Number, safe.Line(first)), Detail: safe.Line(strings.TrimPrefix(n.By+", "+where, ", "))}
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

// gone asks what shall be with a note that has lost its line.
func (r *reading) gone(n review.Placed) tea.Cmd {
	return kit.Show(kit.Choose{Title: fmt.Sprintf("Note %d has lost its line: %s%s", n.Number, n.Anchor.Sign, safe.Line(n.Anchor.Text)), Options: []kit.Option{
		{Label: "it is settled, or open again", Do: func() tea.Cmd { return r.settle(n.Number) }},
		{Label: "drop it", Do: func() tea.Cmd { return r.drop(n.Number) }},
		{Label: "leave it", Do: func() tea.Cmd { return nil }},
	}})
}

func (r *reading) receive() tea.Cmd {
	m := r.screen
	return kit.Start(kit.Work{Title: "Asking the review service", Do: func(ctx context.Context, _ func(string)) (string, error) {
		got, err := m.app.ReceiveReview(ctx)
		return got.Says(), err
	}, Then: r.again()})
}

func (r *reading) export() tea.Cmd {
	text := review.Export(r.data.Branch, r.data.Notes)
	return tea.Batch(tea.SetClipboard(text), kit.Say(app.Count(len(r.data.Notes), "note")+" on the clipboard, if the terminal lets programs reach it; bastel notes writes them."))
}

func (r *reading) columns(size kit.Size) (left, right int) {
	if size.Narrow {
		return size.Width, size.Width
	}
	left = min(60, size.Width*2/5)
	return left, size.Width - left - 2
}

func (r *reading) view(size kit.Size, theme kit.Theme) []string {
	r.size = size
	if len(r.data.Series) == 0 {
		return kit.Empty(size.Width, size.Height, theme, "There is nothing to read.", safe.Line(r.data.Branch)+" has no commits of its own.")
	}
	left, right := r.columns(size)
	if size.Narrow && r.half == kit.Now {
		return r.series(left, size.Height, theme)
	}
	page := r.page(right, size.Height, theme)
	if size.Narrow {
		return page
	}
	return kit.Beside(r.series(left, size.Height, theme), kit.Pad(nil, 2, size.Height), page)
}

// series draws the series with what was read of it.
func (r *reading) series(width, height int, theme kit.Theme) []string {
	done := 0
	tallies := make([]string, len(r.data.Series))
	full := make([]bool, len(r.data.Series))
	for i := range r.data.Series {
		read, all := r.data.Tally(i)
		tallies[i], full[i] = fmt.Sprintf("%d of %d", read, all), read == all
		if full[i] {
			done++
		}
	}
	rows := []string{
		kit.Heading(width, "Now", fmt.Sprintf("%d of %s read", done, app.Count(len(full), "commit")), r.half == kit.Now, theme.Now, theme, r.size.Narrow),
		kit.Row(width, nil, kit.Seg{Text: "  " + safe.Line(r.state()), Style: theme.Dim}),
		kit.Blank(width),
	}
	body := (height - len(rows)) / rowHeight
	r.top = kit.Scroll(r.top, r.commit, body, len(full))
	for i := r.top; i < min(r.top+body, len(full)); i++ {
		source := r.data.Sources[i]
		backdrop, pointer := kit.Cursor(theme, i == r.commit && !r.whole, 2)
		mark, title := "○ ", theme.Plain
		if full[i] {
			mark, title = "● ", theme.Dim
		}
		open := 0
		for _, n := range r.data.Notes {
			if !n.Gone && n.Commit == i && !n.Settled {
				open++
			}
		}
		notes := kit.Seg{Style: theme.Accent}
		if open > 0 {
			notes.Text = app.Count(open, "note") + " open"
		}
		rows = append(rows,
			kit.Split(width, backdrop, []kit.Seg{pointer, {Text: mark, Style: theme.Now}, {Text: safe.Line(source.Commit.Subject()), Style: title}}, kit.Seg{Text: tallies[i], Style: theme.Dim}),
			kit.Split(width, backdrop, []kit.Seg{pointer, {Text: "  " + source.ID.Short() + "  " + safe.Line(source.Commit.Writer().Name), Style: theme.Dim}}, notes))
	}
	return kit.Pad(rows, width, height)
}

// state says in a line what notes and reviewers say.
func (r *reading) state() string {
	words := []string{}
	if n := r.data.Open(); n > 0 {
		words = append(words, app.Count(n, "note")+" open")
	} else if len(r.data.Notes) > 0 {
		words = append(words, "all notes settled")
	}
	for _, v := range r.data.Verdicts {
		word := " approved "
		if !v.Approved {
			word = " wants changes in "
		}
		what := v.Commit.Short()
		if tip := r.data.Series[len(r.data.Series)-1].ID; tip == v.Commit {
			what = "it"
		}
		words = append(words, v.By+word+what)
	}
	return strings.Join(words, "; ")
}

// page draws what a commit says and changes.
func (r *reading) page(width, height int, theme kit.Theme) []string {
	source := r.data.Sources[r.commit]
	what := safe.Line(source.Commit.Subject())
	var body []string
	if r.whole {
		what = "the whole branch as one difference"
	} else {
		body = r.message(width)
	}
	rows := []string{kit.Heading(width, "Next", what, r.half == kit.Next, theme.Next, theme, r.size.Narrow)}
	for _, line := range body {
		rows = append(rows, kit.Row(width, nil, kit.Seg{Text: "  " + line, Style: theme.Dim}))
	}
	rows = append(rows, kit.Blank(width))
	return append(rows, r.text.View(width, max(0, height-len(rows)), r.half == kit.Next, stream.Warm, theme)...)
}

// message is what stands below the subject, the notes on the whole commit after it.
func (r *reading) message(width int) []string {
	source := r.data.Sources[r.commit]
	var lines []string
	_, body, _ := strings.Cut(strings.TrimSpace(source.Message), "\n")
	if body = strings.TrimSpace(body); body != "" {
		for line := range strings.SplitSeq(safe.Text(body), "\n") {
			lines = append(lines, kit.Wrap(kit.Expand(line), max(10, width-4))...)
		}
	}
	if len(lines) > messageRows {
		lines = append(lines[:messageRows-1], fmt.Sprintf("… %d more lines", len(lines)-messageRows+1))
	}
	for _, n := range r.data.Notes {
		if !n.Gone && n.Commit == r.commit && n.Anchor.Path == "" {
			first, _, _ := strings.Cut(safe.Text(n.Text), "\n")
			text := "┊ " + safe.Line(head(n))
			if !n.Settled {
				text += ": " + first
			}
			lines = append(lines, text)
		}
	}
	return lines
}

func (r *reading) click(x, y int) {
	left, right := r.columns(r.size)
	if !r.size.Narrow {
		r.half = kit.Now
		if x >= left {
			r.half = kit.Next
		}
	}
	if r.half == kit.Now && y >= readingHead {
		r.commit = r.top + (y-readingHead)/rowHeight
		r.step(0)
		return
	}
	r.text.Click(y - 2 - len(r.message(right)))
}

func (r *reading) wheel(x, turns int) {
	if left, _ := r.columns(r.size); !r.size.Narrow && x < left {
		r.step(turns)
		return
	}
	r.text.Move(3 * turns)
}
