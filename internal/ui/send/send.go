// Package send is the screen where a branch is published: Now is the branch as the
// remote has it, Next as it will be there, and the seam ties each commit there to
// what it became.
//
// Its tests promise: what is asked before a push is what the push would do; its keys are pressed by the
// tests of ui and test/tmux.
package send

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/app/publishing"
	"bastel/internal/draw"
	"bastel/internal/lanes"
	"bastel/internal/repo"
	"bastel/internal/safe"
	sending "bastel/internal/send"
	"bastel/internal/series"
	"bastel/internal/ui/action"
	"bastel/internal/ui/kit"
	"bastel/internal/wording"
)

// Name is the screen's name.
const Name = "Send"

const (
	headRows  = 4
	rowHeight = 2
)

// Model is the screen.
type Model struct {
	ctx        context.Context
	app        *app.App
	publishing *publishing.App
	planner    Planner
	at         app.BranchStatus
	reading    kit.Reading[publishing.Series]
	why        string                              // why there is nothing to send: a no, not a failed reading
	through    kit.Reading[publishing.ReadThrough] // of the read-through that is open
	landing    kit.Reading[publishing.LandingLook] // of the landing that is open
	series     publishing.Series
	half       kit.Half
	cursor     [2]int
	entries    [2]kit.Entries
	top        [2]int
	heads      int // rows above the commits
	size       kit.Size
	over       kit.Over // a look into a commit, the preflight, reading through; nil: nothing
	options    []string // handed to the server's hooks
	once       string   // the remote for the next push alone; empty: the usual one
	stack      bool     // the stack's other branches go along
}

// close shows the branch again.
func (m *Model) close() tea.Cmd {
	m.over = nil
	return nil
}

// Planner has the plan of the branch.
type Planner interface {
	// Mend goes to where a finding of the preflight is mended.
	Mend(item string) tea.Cmd
	// TakeIn has the plan take in what the remote has, and commits besides.
	TakeIn(besides []repo.ID) tea.Cmd
}

// New makes the screen.
func New(ctx context.Context, a *app.App, planner Planner) *Model {
	return &Model{ctx: ctx, app: a, publishing: publishing.Of(a), planner: planner, half: kit.Next}
}

// Name gives the screen's name.
func (m *Model) Name() string { return Name }

// Shows are the topics that the screen is about.
func (m *Model) Shows() repo.Topics { return repo.Refs | repo.Configuration }

// Situated compares with what was last fetched; the remote is asked by a push. A
// read-through is read anew where the branch or its target have moved.
func (m *Model) Situated(s app.BranchStatus) tea.Cmd {
	moved := s.Head != m.at.Head || s.Target != m.at.Target
	m.at = s
	once := m.once
	compare := m.reading.Begin(m.ctx, Name, func(ctx context.Context) (publishing.Series, error) {
		return m.publishing.SendSeries(ctx, once, false)
	})
	switch over := m.over.(type) {
	case *reading:
		if moved {
			return tea.Batch(compare, over.again())
		}
	case *landing:
		return tea.Batch(compare, over.again())
	}
	return compare
}

// Update takes what was read.
func (m *Model) Update(msg tea.Msg) tea.Cmd {
	switch msg := msg.(type) {
	case sent:
		m.once = ""
	case arrived:
		return m.takeIn()
	case landed:
		m.over = nil
	case caughtUp:
		m.over = nil
		return m.planner.Mend(sending.UpToDate)
	case kit.Read[publishing.Series]:
		m.haveSeries(msg)
	case kit.Read[publishing.ReadThrough]:
		if over, ok := m.over.(*reading); m.through.Take(msg) && ok { // it may have been left meanwhile
			over.refresh(msg.Value)
		}
	case kit.Read[publishing.LandingLook]:
		if over, ok := m.over.(*landing); m.landing.Take(msg) && ok {
			m.over = newLanding(m, msg.Value, over.how)
		}
	case noted:
		if over, ok := m.over.(*reading); ok {
			return tea.Batch(kit.Say(string(msg)), over.again())
		}
	default:
		return m.found(msg)
	}
	return nil
}

// Failed is why not all could be read anew.
func (m *Model) Failed() error {
	var over error
	switch m.over.(type) {
	case *reading:
		over = m.through.Err
	case *landing:
		over = m.landing.Err
	}
	if m.why != "" {
		return over
	}
	return cmp.Or(over, m.reading.Err)
}

// known says whether there is a comparison to act on.
func (m *Model) known() bool { return m.reading.Known && m.why == "" }

// haveSeries takes the branch there and here.
func (m *Model) haveSeries(read kit.Read[publishing.Series]) {
	first := len(m.series.Next) == 0
	newer := m.reading.Take(read)
	var no *app.Refusal
	if errors.As(read.Err, &no) { // an answer too
		m.why = no.Error()
	}
	if !newer {
		return
	}
	m.why = ""
	if m.series = read.Value; first {
		m.cursor[kit.Next] = len(m.series.Next) - 1
	}
	m.clamp()
}

// found takes what was looked for because of a key.
func (m *Model) found(msg tea.Msg) tea.Cmd {
	switch msg := msg.(type) {
	case kit.Found[looked]:
		m.over = newLook(m, msg.Value)
	case kit.Found[publishing.ReadThrough]:
		m.through.Supersede()
		m.over = newReading(m, msg.Value)
	case kit.Found[publishing.LandingLook]:
		m.landing.Supersede()
		m.over = newLanding(m, msg.Value, publishing.Landing{})
	case kit.Found[found]:
		m.over = newPreflight(m, msg.Value)
	case kit.Found[handed]:
		m.over = newHanding(m, msg.Value)
	case kit.Found[copied]:
		return msg.Value.toClipboard()
	}
	return nil
}

func (m *Model) rows(half kit.Half) []app.Source {
	if half == kit.Now {
		return m.series.Now
	}
	return m.series.Next
}

func (m *Model) clamp() {
	for half := range m.cursor {
		m.cursor[half] = max(0, min(m.cursor[half], len(m.rows(kit.Half(half)))-1))
	}
}

// Actions lists what can be done here.
func (m *Model) Actions() []kit.Action {
	if m.over != nil {
		return m.over.Actions()
	}
	ready := m.known() && !m.outgoing().UpToDate() && !m.series.Behind()
	actions := []kit.Action{
		kit.Asking(action.Push, ready, m.push),
		kit.Act(action.LookAtCommit, len(m.rows(m.half)) > 0, m.lookInto),
		kit.Act(action.ReadThrough, m.reading.Known, m.readThrough),
		kit.Act(action.LookBefore, m.known(), m.lookBefore),
		kit.Act(action.Land, m.known() && !m.series.Shared, m.lookLanding),
		kit.Act(action.HandOver, len(m.series.Next) > 0, m.handOver),
		kit.Asking(action.OtherPush, m.known(), m.ways),
		kit.Asking(action.ServerPage, len(m.links()) > 0, m.pages),
		kit.Asking(action.DrawSent, m.known(), m.draw),
		kit.Act(action.TakePushBack, m.known(), func() tea.Cmd { return TakeBack(m.app) }),
		kit.Act(action.TakeIn, m.canTake(), m.takeIn),
	}
	moves := kit.Navigator{
		Move: m.step,
		Page: func(pages int) { m.step(10 * pages) },
		End:  m.toEnd,
		Turn: func(half kit.Half) { m.half = half },
	}
	return append(actions, moves.Actions()...)
}

func (m *Model) step(rows int) {
	m.cursor[m.half] += rows
	m.clamp()
}

func (m *Model) toEnd(last bool) {
	m.cursor[m.half] = 0
	if last {
		m.cursor[m.half] = len(m.rows(m.half))
	}
	m.clamp()
}

// mend goes to where a finding of the preflight is mended.
func (m *Model) mend(item string) tea.Cmd {
	if item == sending.Read || item == sending.Remarks || item == sending.Reviewers {
		return m.readThrough()
	}
	return m.planner.Mend(item)
}

// draw offers the pictures that there are.
func (m *Model) draw() tea.Cmd {
	option := func(label, detail string, what app.Drawing) kit.Option {
		return kit.Option{Label: label, Detail: detail, Do: func() tea.Cmd { return kit.Draw(m.app, m.series.Branch, what) }}
	}
	history := func(sent bool) app.Drawing {
		return func(ctx context.Context) (draw.Picture, error) { return m.publishing.HistoryOf(ctx, sent) }
	}
	return kit.Show(kit.Choose{Title: "Draw", Options: []kit.Option{
		option("the seam", "what the remote has, and what becomes of it", func(ctx context.Context) (draw.Picture,
			error) {
			return m.publishing.SeamOfSent(ctx)
		}),
		option("the history on the remote and here", "with the target", history(true)),
		option("the history before and after", "the last rewriting", history(false)),
	}})
}

// BringBack makes the branch anew on its remote that was deleted there last.
func BringBack(a *app.App) tea.Cmd { return takeBack(a, "Bringing the branch back") }

func takeBack(a *app.App, title string) tea.Cmd {
	return kit.Start(kit.Work[string]{Title: title, Do: func(ctx context.Context, report func(string)) (string, error) {
		said, warnings, err := publishing.Of(a).TakeBackSent(ctx, "", report)
		return app.WithWarnings(said, warnings), err
	}})
}

// TakeBack asks the remote about the last push of the branch at work, says what taking it back
// does, and asks: what the remote has is everybody's to see.
func TakeBack(a *app.App) tea.Cmd {
	work := takeBack(a, "Taking the push back")
	return kit.Start(kit.Work[kit.Got]{Title: "Asking the remote", Do: func(ctx context.Context, _ func(string)) (kit.Got, error) {
		look, err := publishing.Of(a).LookTakingBack(ctx, "")
		if err != nil {
			return kit.Got{}, err
		}
		if len(look.BuiltOn) == 0 {
			return kit.Got{Msg: kit.Ask{Question: safe.Line(look.Says) + " y does it.", Key: "y", Yes: work}}, nil
		}
		return kit.Got{Msg: kit.Choose{Question: true, Title: look.Says + " Others have what you sent: " + strings.Join(look.BuiltOn, ", ") +
			".", Options: []kit.Option{
			{Label: "leave it", Detail: "Nothing is changed.", Do: func() tea.Cmd { return kit.Say("Nothing was changed.") }},
			{Label: "take it back", Detail: "Those branches keep the commits.", Do: func() tea.Cmd { return work }},
		}}}, nil
	}})
}

// Advice names the key that helps where a push cannot work, or has nothing to send.
func (m *Model) Advice() action.ID {
	switch {
	case m.over != nil || !m.known():
		return ""
	case !m.series.Known:
		return action.Fetch
	case m.series.Behind():
		return action.Forward
	case m.canTake() && m.outgoing().Verdict() != nil:
		return action.TakeIn
	case m.series.UpToDate() && !m.series.Shared:
		return action.Land
	}
	return ""
}

// canTake says whether the remote has commits of somebody else that are known here, or what may
// not be replaced.
func (m *Model) canTake() bool {
	if m.series.Shared && m.series.Known && len(m.series.Replaces) > 0 {
		return true
	}
	return len(m.series.NotYours) > 0 && !m.series.Behind() && slices.ContainsFunc(m.series.Now,
		func(s app.Source) bool { return slices.Contains(m.series.NotYours, s.ID) })
}

// takeIn has the plan take in what others pushed.
func (m *Model) takeIn() tea.Cmd { return m.takeBackIn(nil) }

// takeBackIn takes commits in besides, which were left out here before.
func (m *Model) takeBackIn(besides []repo.ID) tea.Cmd {
	return tea.Batch(m.planner.TakeIn(besides), kit.Show(kit.Go{Screen: "Shape"}))
}

// View draws the screen.
func (m *Model) View(size kit.Size, theme kit.Theme) []string {
	m.size = size
	if look, ok := m.over.(*look); ok && !size.Narrow {
		return m.lookBeside(look, size, theme)
	}
	if m.over != nil {
		return m.over.View(size, theme)
	}
	if m.why != "" {
		return kit.Empty(size.Width, size.Height, theme, "There is nothing to send.", safe.Text(m.why))
	}
	if !m.reading.Known && m.reading.Err != nil {
		return kit.Empty(size.Width, size.Height, theme, "The branch could not be compared.", app.Explain(m.reading.Err))
	}
	now, seam, next := kit.Columns(size, kit.SeamWidth(size.Width))
	if size.Narrow {
		now, next = size.Width, size.Width
	}
	heads := [2][]string{m.head(kit.Now, now, theme), m.head(kit.Next, next, theme)}
	body := m.scroll(size, len(heads[kit.Next]))
	if size.Narrow {
		return append(kit.Pad(heads[m.half], size.Width, m.heads), m.body(m.half, size.Width, body, theme)...)
	}
	left := append(kit.Pad(heads[kit.Now], now, m.heads), m.body(kit.Now, now, body, theme)...)
	right := append(kit.Pad(heads[kit.Next], next, m.heads), m.body(kit.Next, next, body, theme)...)
	return kit.Join(left, append(kit.Pad(nil, seam, m.heads), m.seam(seam, body, theme)...), right)
}

// scroll keeps the cursors in view below heads of so many rows, and gives the room that is left.
func (m *Model) scroll(size kit.Size, head int) (body int) {
	m.heads = min(max(headRows, head+1), size.Height/2)
	body = size.Height - m.heads
	for half := range m.top {
		m.entries[half] = kit.EntriesIn(size, body, m.cursor[half])
		m.top[half] = kit.Scroll(m.top[half], m.cursor[half], m.entries[half].Fit(), len(m.rows(kit.Half(half))))
	}
	return body
}

// lookBeside draws what is looked at beside the half with the cursor, in place of the other one.
func (m *Model) lookBeside(l *look, size kit.Size, theme kit.Theme) []string {
	width, beside := kit.Beside(size)
	head := m.head(m.half, width, theme)
	body := m.scroll(size, len(head))
	half := append(kit.Pad(head, width, m.heads), m.body(m.half, width, body, theme)...)
	return kit.JoinLook(m.half, half, kit.Pad(l.View(beside, theme), beside.Width, size.Height))
}

func (m *Model) head(half kit.Half, width int, theme kit.Theme) []string {
	if !m.reading.Known {
		return nil
	}
	s := m.series
	name := strings.TrimPrefix(s.Ref, "refs/heads/")
	if half == kit.Now {
		what := asFetched(s.Fetched)
		if s.There.IsZero() {
			what = "not there yet"
		}
		return []string{
			kit.Heading(width, "Now", safe.Line(s.Remote+" has "+name), m.half == half && m.over == nil, theme.Now, theme, m.size.Narrow),
			kit.Row(width, nil, kit.Seg{Text: safe.Show("  " + what), Style: theme.Dim}),
			m.pageRow(width, theme),
		}
	}
	verdict, style := m.verdict(theme)
	lines := kit.Wrap(safe.Line(verdict), max(10, width-3))
	rows := []string{kit.Heading(width, "Next", safe.Line(name), m.half == half && m.over == nil, theme.Next, theme, m.size.Narrow)}
	for _, line := range lines {
		rows = append(rows, kit.Row(width, nil, kit.Seg{Text: safe.Show("  " + line), Style: style}))
	}
	if way := m.way(); way != "" {
		rows = append(rows, kit.Row(width, nil, kit.Seg{Text: safe.Show("  " + safe.Line(way)), Style: theme.Dim}))
	}
	return rows
}

// asFetched says how old what is known of a remote is.
func asFetched(when time.Time) string {
	if when.IsZero() {
		return "as last fetched"
	}
	return "as fetched " + when.Local().Format("2 Jan 15:04")
}

// verdict says what the push would do, or why it may not.
func (m *Model) verdict(theme kit.Theme) (string, kit.Style) {
	s := m.series
	var refusal *sending.Refusal
	switch err := m.outgoing().Verdict(); {
	case s.Behind():
		return fmt.Sprintf("Nothing to send. %s has %s more, the last%s: ctrl+f moves your branch up to it.", safe.Line(s.Remote),
			wording.Count(len(s.Replaces), "commit"), strings.TrimPrefix(s.Whose, ",")), theme.Next
	case errors.As(err, &refusal) && refusal.Question != "":
		return refusal.Question, theme.Trouble
	case err != nil:
		return err.Error(), theme.Trouble
	}
	switch {
	case s.UpToDate():
		return "The remote has all of it.", theme.Dim
	case s.There.IsZero():
		return fmt.Sprintf("A new branch there, with %s. It becomes the upstream.", s.Sending("")), theme.Next
	case len(s.Replaces) > 0:
		return fmt.Sprintf("%s. On the remote: %s.", s.Sending(" to send"), s.Replacing()), theme.Next
	}
	return s.Sending(" to send") + ", nothing replaced.", theme.Next
}

func (m *Model) body(half kit.Half, width, height int, theme kit.Theme) []string {
	rows := m.rows(half)
	if m.reading.Known && len(rows) == 0 {
		return kit.Empty(width, height, theme, "Nothing.", "The remote has no commit of this branch beyond its target.")
	}
	var lines []string
	for i := m.top[half]; i < min(len(rows), m.top[half]+m.entries[half].Fit()); i++ {
		lines = append(lines, m.entries[half].Rows(i, m.row(half, i, width, theme))...)
	}
	return kit.Pad(lines, width, height)
}

func (m *Model) row(half kit.Half, i, width int, theme kit.Theme) []string {
	source := m.rows(half)[i]
	backdrop, pointer := kit.Cursor(theme, m.half == half && i == m.cursor[half], 1)
	title := theme.Plain
	relation := m.relation(half, source.ID)
	if relation == string(series.Gone) {
		title = theme.Dim.Strikethrough(true)
	}
	return []string{
		kit.Split(width, backdrop, []kit.Seg{pointer, {Text: " "}, {Text: safe.Show(source.Commit.Subject()), Style: title}},
			kit.Seg{Text: safe.Show(relation), Style: theme.Dim}),
		kit.Row(width, backdrop, pointer, kit.Seg{Text: safe.Show(" " + source.ID.Short() + "  " + safe.Line(source.Commit.Writer().Name)),
			Style: theme.Dim}),
	}
}

// relation says in a word what ties a commit to the other side.
func (m *Model) relation(half kit.Half, id repo.ID) string {
	from := 0
	var relation series.Relation
	for _, p := range m.series.Pairs {
		switch {
		case half == kit.Now && p.Old == id:
			relation = p.Relation
		case half == kit.Next && p.New == id:
			relation = p.Relation
			from++
		}
	}
	switch {
	case half == kit.Now && slices.Contains(m.series.NotYours, id):
		if relation != "" && relation != series.Gone {
			return "theirs now, " + string(relation)
		}
		return "not yours"
	case relation == series.Joined && half == kit.Next:
		return fmt.Sprintf("joins %d", from)
	case relation == "" && half == kit.Next:
		return string(series.New)
	case relation == series.Same && half == kit.Now:
		return ""
	}
	return string(relation)
}

func (m *Model) seam(width, height int, theme kit.Theme) []string {
	place, from := map[repo.ID]int{}, map[repo.ID]int{}
	for i, s := range m.series.Next {
		place[s.ID] = i
	}
	for i, s := range m.series.Now {
		from[s.ID] = i
	}
	var strands []kit.Strand
	for _, p := range m.series.Pairs {
		i, there := from[p.Old]
		if !there {
			continue
		}
		strand := kit.Strand{Thread: lanes.Thread{From: i - m.top[kit.Now], To: lanes.Ends}, Faded: true}
		if at, here := place[p.New]; here {
			strand.To, strand.Faded = at-m.top[kit.Next], false
			strand.Bright = m.half == kit.Next && at == m.cursor[kit.Next]
		}
		strand.Bright = strand.Bright || m.half == kit.Now && i == m.cursor[kit.Now]
		strands = append(strands, strand)
	}
	return kit.Seam(strands, width, height, rowHeight, 0, theme)
}

// Click goes to a commit.
func (m *Model) Click(x, y int) tea.Cmd {
	if look, ok := m.over.(*look); ok {
		return m.clickBeside(look, x, y)
	}
	if m.over != nil {
		m.over.Click(x, y)
		return nil
	}
	m.half = kit.HalfAt(m.size, kit.SeamWidth(m.size.Width), x, m.half)
	if y >= m.heads {
		m.cursor[m.half] = m.entries[m.half].At(m.top[m.half], y-m.heads)
	}
	m.clamp()
	return nil
}

// clickBeside goes to a line of what is looked at, or looks at another commit.
func (m *Model) clickBeside(l *look, x, y int) tea.Cmd {
	if column, ok := kit.LookAtColumn(m.half, m.size, x); ok {
		l.Click(column, y)
		return nil
	}
	if at := m.entries[m.half].At(m.top[m.half], y-m.heads); y >= m.heads && at < len(m.rows(m.half)) {
		m.cursor[m.half] = at
		return m.lookInto()
	}
	return nil
}

// Wheel scrolls the half under the mouse.
func (m *Model) Wheel(x, _, turns int) {
	if m.over != nil {
		m.over.Wheel(x, turns)
		return
	}
	m.half = kit.HalfAt(m.size, kit.SeamWidth(m.size.Width), x, m.half)
	m.cursor[m.half] += turns
	m.clamp()
}

// Explain says in the help what this screen is for.
func (m *Model) Explain() (title, text string) {
	if m.over != nil {
		return m.over.Explain()
	}
	return Name, "Now is the branch as the remote had it when you last fetched; F fetches. Next is the branch as it will be there. " +
		"A push replaces commits there only if they once were in your branch, and only if the remote still has exactly what you see. " +
		"Where a commit of somebody else would go, because a plan left it out, it is named, and you are asked. What somebody else pushed and " +
		"you never had is taken in first."
}
