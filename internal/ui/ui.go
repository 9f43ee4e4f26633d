// Package ui is the frame of the application: the sentence at the top, one screen,
// a line of news and a line of keys; the pages that lie over a screen (help,
// finder, editor); and the one piece of work that may run at a time.
//
// Its tests promise: every reading may fail, every key may come at any time, and random keys end in the
// same screen as a fresh start.
package ui

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"slices"
	"strings"
	"sync/atomic"
	"time"

	tea "charm.land/bubbletea/v2"
	"charm.land/lipgloss/v2"
	"github.com/charmbracelet/colorprofile"
	"github.com/charmbracelet/x/ansi"
	"github.com/charmbracelet/x/term"

	"bastel/internal/app"
	"bastel/internal/app/planning"
	"bastel/internal/lifeline"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/ui/action"
	"bastel/internal/ui/chart"
	"bastel/internal/ui/kit"
	"bastel/internal/ui/mend"
	"bastel/internal/ui/send"
	"bastel/internal/ui/shape"
	"bastel/internal/ui/sort"
	"bastel/internal/ui/stream"
)

// firstScreen is the one that is shown at first: Sort, where the order of the work begins.
const firstScreen = 1

// narrowBelow is the width under which the halves become pages.
const narrowBelow = 100

// Model is the frame. It implements tea.Model.
type Model struct {
	ctx     context.Context
	dir     string
	log     *slog.Logger // nil: none
	app     *app.App
	watched *app.App // the one whose changes are watched
	opened  bool
	failed  error // why there is no repository
	// Ends the opening that is under way.
	opening atomic.Pointer[context.CancelCauseFunc]

	screens     []kit.Screen
	at          int
	stale       []bool // by screen: something changed since it read what it shows
	where       kit.Reading[app.BranchStatus]
	line        *lifeline.Line // to what sets the terminal right where Bastel cannot
	done        []string       // the latest keys, each with its screen
	columnsKept kit.Keeper
	tour        *tour       // that is under way; nil: none is
	offersTour  bool        // it is a first start
	ascii       bool        // nothing else can be drawn
	columns     int         // that differences are wanted in: 2 where old and new shall stand beside each other
	touched     repo.Topics // since the situation was last read

	work   *running
	beside *running // that changes nothing, and goes on beside other work
	notice notices
	page   page

	queue         queue
	following     following
	searches      kit.Searches
	unfinished    unfinished
	screenOut     *terminal // what is drawn goes there; nil: nobody looks
	theme         kit.Theme
	groundSet     bool // by the setting bastel.background
	width, height int
	frame         tea.View
}

// Run shows the application for the repository around dir until the user leaves.
//
// What is done is written into the log.
func Run(ctx context.Context, dir string, log *slog.Logger) error {
	app.SpendMemory()
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	m := &Model{ctx: ctx, dir: dir, log: log, theme: kit.NewTheme(kit.Look{Ground: groundOfEnvironment()}), ascii: kit.OnlyASCII(),
		offersTour: app.FirstStart()}
	defer func() {
		if m.app != nil {
			m.app.Close()
		}
	}()
	m.screenOut = &terminal{File: os.Stdout}
	g := &guarded{Model: m}
	options := []tea.ProgramOption{tea.WithContext(ctx), tea.WithOutput(m.screenOut),
		tea.WithColorProfile(lipgloss.Writer.Profile)} // which asked the terminal's multiplexer already
	if term.IsTerminal(os.Stdin.Fd()) {
		options = append(options, tea.WithInput(&keyboard{File: os.Stdin}))
		m.line = lifeline.Tie(os.Stdin, app.Version())
		defer m.line.Untie()
	}
	program := tea.NewProgram(g, options...)
	heed(ctx, cancel, program.Send)
	_, err := program.Run()
	late := errors.Join(m.catchUp(), m.keepLastWriting())
	if g.crash != nil {
		return errors.Join(g.report(), late)
	}
	if errors.Is(err, tea.ErrProgramKilled) && ctx.Err() != nil {
		return errors.Join(context.Cause(ctx), late)
	}
	if err != nil {
		return fmt.Errorf("run the application: %w", err)
	}
	return late
}

type opened struct {
	app   *app.App
	note  string
	left  bool // a step is half done, and stays so
	waits bool // something that another tool began waits to be finished
	err   error

	ground  kit.Background
	palette kit.Palette
	tab     int
	context int // unchanged lines around a change

	questions  prompts
	unfinished app.Unfinished
	fetch      time.Duration // how often to fetch by itself
	columns    int           // of differences, as they were last wanted
}

// freeScrolling lets the whole screen scroll again, with the cursor where it was. A
// frame that was drawn for the old size after the terminal had its new one leaves
// the scrolling confined to the old height, and later frames would come out shifted.
const freeScrolling = ansi.SaveCursor + "\x1b[r" + ansi.RestoreCursor

// answerPatience is how long the terminal may take to say what its background is.
const answerPatience = 500 * time.Millisecond

// unanswered says that the terminal did not say what its background is.
type unanswered struct{}

// Init asks for the background's colour and opens the repository.
func (m *Model) Init() tea.Cmd {
	late := tea.Tick(answerPatience, func(time.Time) tea.Msg { return unanswered{} })
	return tea.Batch(tea.RequestBackgroundColor, late, m.open)
}

func (m *Model) open() tea.Msg {
	line := make(prompts)
	ctx, cancel := context.WithCancelCause(m.ctx)
	m.opening.Store(&cancel)
	a, note, err := app.Open(repo.Because(ctx, "opening"), m.dir, append(m.options(), repo.WithAsker(line.ask))...)
	if err != nil {
		return opened{err: err}
	}
	opening := repo.Because(m.ctx, "opening")
	a.Repo.BeginStatus(opening) // it takes longest of all that the first frame waits for
	// Settings that cannot be read, or say something wrong, keep nobody from their work.
	settings, err := a.Settings(opening)
	if err == nil {
		_, err = a.ExpireJournal(opening)
	}
	if err != nil {
		note = strings.TrimSpace(note + " " + err.Error())
	}
	note = strings.TrimSpace(note + " " + strings.Join(settings.Warnings, " "))
	if commands, err := a.NotAllowed(opening); err == nil && len(commands) > 0 {
		note = strings.TrimSpace(note + " This repository's configuration names commands that are not allowed here yet: bastel allow.")
	}
	if file := lifeline.Untold(); file != "" {
		note = strings.TrimSpace(note + " Bastel ended by a fault of its own last time. What is known of it, without content of " +
			"files, is in " + file + ".")
	}
	left, err := a.LeftStep(opening)
	op, busy := a.Repo.Unfinished()
	return opened{app: a, waits: busy && op.Name != "bisect",
		note: note, left: left != "" || err != nil, unfinished: a.ReadUnfinished(), questions: line,
		fetch: settings.FetchTime(), ground: kit.GroundOf(settings.Background), palette: kit.Palette(settings.Theme), tab: a.TabWidth(opening),
		context: a.DiffContext(opening), columns: a.Columns()}
}

// seeking is the context of what looks for something because of a key, which another key can stop.
func (m *Model) seeking() context.Context { return kit.WithSearches(m.ctx, &m.searches) }

// options are how the repository is opened.
func (m *Model) options() []repo.Option {
	if m.log == nil {
		return nil
	}
	return []repo.Option{repo.WithLog(m.log)}
}

// errStopped is why opening ended where the user stopped it.
var errStopped = errors.New("opening was stopped, and nothing was changed")

// stopOpening ends what opening waits for.
func (m *Model) stopOpening() {
	if cancel := m.opening.Load(); cancel != nil {
		(*cancel)(errStopped)
	}
}

// Update answers one message, and then the keys that waited for what it brought. Repository
// work never happens here: it runs in commands.
func (m *Model) Update(msg tea.Msg) (tea.Model, tea.Cmd) {
	handled, _ := m.handle(msg)
	waiting := len(m.queue.typed)
	cmd := tea.Batch(handled, m.nextKeys(), m.forgetWriting())
	if !carriesCommands(msg) || len(m.queue.typed) != waiting {
		m.frame = m.draw()
		cmd = tea.Batch(cmd, m.colouring())
	}
	return m, cmd
}

// View gives the screen as it was drawn when something changed last.
func (m *Model) View() tea.View { return m.frame }

// handle answers a message of the terminal, of work, or of a screen. It says whether there was one to answer: what is not taken is
// for the program itself.
func (m *Model) handle(msg tea.Msg) (cmd tea.Cmd, taken bool) {
	for _, answer := range []func(tea.Msg) (cmd tea.Cmd, taken bool){m.fromTerminal, m.fromWork, m.fromScreen} {
		if cmd, taken := answer(msg); taken {
			return cmd, true
		}
	}
	return nil, false
}

// handleOrPass answers a message, or passes it to the program.
func (m *Model) handleOrPass(msg tea.Msg) tea.Cmd {
	cmd, taken := m.handle(msg)
	if !taken && msg != nil {
		return kit.Show(msg)
	}
	return cmd
}

// fromTerminal answers what the user did, and what the terminal says of itself.
func (m *Model) fromTerminal(msg tea.Msg) (cmd tea.Cmd, taken bool) {
	switch msg := msg.(type) {
	case tea.WindowSizeMsg:
		m.width, m.height = msg.Width, msg.Height
		m.fitColumns()
		return tea.Raw(freeScrolling), true
	case tea.BackgroundColorMsg:
		m.ground(msg.IsDark())
	case unanswered:
		if m.theme.Ground == kit.Unknown { // most are dark; the action "dark or light" says otherwise
			m.useGround(kit.Dark)
		}
	case tea.ColorProfileMsg:
		m.look(func(look *kit.Look) { look.Sixteen = msg.Profile == colorprofile.ANSI })
	case tea.ResumeMsg:
		return tea.Batch(tea.Raw(freeScrolling), m.refresh()), true
	case tea.KeyPressMsg:
		if action.Is(action.Suspend, msg.String()) { // whatever is open, and before what waits
			return tea.Suspend, true
		}
		return m.key(msg), true
	case tea.PasteMsg:
		if m.page != nil {
			return m.page.update(msg, m), true
		}
	case tea.MouseClickMsg:
		return m.click(msg.Mouse()), true
	case tea.MouseWheelMsg:
		m.wheel(msg.Mouse())
	case tea.FocusMsg:
		return m.refresh(), true
	default:
		return nil, false
	}
	return nil, true
}

// fromWork answers what came of commands of the frame itself.
func (m *Model) fromWork(msg tea.Msg) (cmd tea.Cmd, taken bool) {
	switch msg := msg.(type) {
	case finished:
		return m.haveFinished(msg), true
	case unattended:
		return msg.cmd, true
	case kit.Sought:
		cmd, _ = m.handle(m.searches.Come(msg))
		return cmd, true
	case opened:
		m.queue.tracking = true // keys that were typed meanwhile are for what is shown first
		defer func() { m.queue.tracking = false }()
		m.queue.starting = true
		return m.track(m.haveOpened(msg)), true
	case kit.Read[app.BranchStatus]:
		return tea.Batch(m.haveSituated(msg), m.startLater()), true
	case worked:
		return m.workDone(msg), true
	case haveFollowed:
		return m.haveFollowed(msg), true
	case told:
		cmd, _ = m.handle(msg.msg)
		return tea.Batch(cmd, inBackground(awaitTold(msg.more))), true
	case tick:
		return m.haveTicked(), true
	case keepWriting:
		return m.storeWriting(), true
	case keptWriting:
		return m.haveKeptWriting(msg), true
	case wake:
		if m.leaving() {
			return wakeLater(), true
		}
	case fetchDue:
		return m.fetchByItself(msg.every), true
	case composed:
		return m.haveComposed(msg), true
	case launched:
		return m.haveLaunched(msg), true
	case prepared:
		return m.havePrepared(msg), true
	case changed:
		if msg.app == m.app {
			return tea.Batch(m.refreshTopics(msg.topics), m.awaitChange(msg.app, msg.told)), true
		}
	case asked:
		return m.haveQuestion(msg), true
	case unasked:
		m.haveUnasked(msg)
	case looked:
		m.haveLooked(msg)
	case aboutRead:
		m.haveAbout(msg)
	case stream.Coloured:
		msg.Take()
	default:
		return nil, false
	}
	return nil, true
}

// fromScreen answers what a screen asks for, and passes on what is for one.
func (m *Model) fromScreen(msg tea.Msg) (cmd tea.Cmd, taken bool) {
	switch msg := msg.(type) {
	case kit.ForScreen:
		return m.screenNamed(msg.Screen).Update(msg.Msg), true
	case kit.Addressed:
		return m.screenNamed(msg.For()).Update(msg), true
	case kit.Sequence:
		return tea.Sequence(msg...), true
	case kit.Go:
		return m.show(max(0, slices.IndexFunc(m.screens, func(s kit.Screen) bool { return s.Name() == msg.Screen }))), true
	case kit.Job:
		return m.start(msg), true
	case kit.Follow:
		return m.follow(msg), true
	case kit.Notice:
		m.say(msg)
	case kit.Page:
		head, rest, _ := strings.Cut(safe.Text(strings.TrimSpace(msg.Text)), "\n")
		return m.openPage(&text{heading: head, lines: strings.Split(rest, "\n")}), true
	case kit.Launch:
		return m.launch(msg), true
	case kit.Edit:
		return m.edit(msg), true
	case kit.Ask:
		msg.Question += m.beforeQuestion()
		return m.openPage(&asker{msg, m.now()}), true
	case kit.Choose:
		if msg.Question {
			msg.Title += m.beforeQuestion()
		}
		return m.openChooser(msg, nil), true
	default:
		return nil, false
	}
	return nil, true
}

// groundOfEnvironment reads COLORFGBG, in which several terminals say what colours
// they begin with: text and background, by number.
func groundOfEnvironment() kit.Background {
	words := strings.Split(os.Getenv("COLORFGBG"), ";")
	switch words[len(words)-1] {
	case "0", "1", "2", "3", "4", "5", "6", "8":
		return kit.Dark
	case "7", "9", "10", "11", "12", "13", "14", "15":
		return kit.Light
	}
	return kit.Unknown
}

// ground takes the terminal's answer, unless the user has set it otherwise.
func (m *Model) ground(dark bool) {
	switch {
	case m.groundSet:
	case dark:
		m.useGround(kit.Dark)
	default:
		m.useGround(kit.Light)
	}
}

// look takes the colours for another look; how many columns differences have stays.
func (m *Model) look(change func(look *kit.Look)) {
	look, two := m.theme.Look, m.theme.TwoColumns
	change(&look)
	m.theme = kit.NewTheme(look)
	m.theme.TwoColumns = two
}

func (m *Model) useGround(ground kit.Background) {
	m.look(func(look *kit.Look) { look.Ground = ground })
}

func (m *Model) haveOpened(msg opened) tea.Cmd {
	m.opened, m.failed = true, msg.err
	if errors.Is(msg.err, errStopped) {
		m.failed = errStopped // in which command that was matters to nobody
	}
	if msg.err != nil {
		return nil
	}
	if m.app != nil {
		m.app.Close()
	}
	m.app, m.where = msg.app, kit.Reading[app.BranchStatus]{}
	ctx := m.seeking()
	planner := shape.New(ctx, m.app)
	m.screens = []kit.Screen{chart.New(ctx, m.app), sort.New(ctx, m.app, msg.context), planner, mend.New(ctx, m.app, planner),
		send.New(ctx, m.app, planner)}
	m.unfinished.texts = msg.unfinished
	m.at, m.stale = firstScreen, make([]bool, len(m.screens))
	if msg.waits {
		m.at = slices.IndexFunc(m.screens, func(s kit.Screen) bool { return s.Name() == mend.Name })
	}
	m.look(func(look *kit.Look) { look.Palette, look.Tab = msg.palette, msg.tab })
	if msg.ground != kit.Unknown {
		m.useGround(msg.ground)
		m.groundSet = true
	}
	m.columns = msg.columns
	m.fitColumns()
	if msg.note != "" {
		m.say(kit.Notice{Text: msg.note})
	}
	commands := []tea.Cmd{m.refresh(), inBackground(m.awaitQuestion(msg.questions)), inBackground(fetchLater(msg.fetch))}
	if msg.left {
		commands = append(commands, m.askLeft())
	}
	return tea.Batch(commands...)
}

// tidyUp takes away what crashes left, and the like, while nobody waits for it.
func (m *Model) tidyUp(a *app.App) tea.Cmd {
	return func() tea.Msg {
		a.TidyUp(repo.Because(m.ctx, "tidying up"))
		return nil
	}
}

// refresh reads where the user stands, and then what the screens show.
func (m *Model) refresh() tea.Cmd {
	m.where.Supersede() // what was begun before is older than what was done since: it would bring back what is gone
	return m.refreshTopics(repo.AllTopics)
}

// refreshOwn does so after steps of Bastel's that wrote the index and refs alone. What another program did meanwhile is told of.
func (m *Model) refreshOwn() tea.Cmd {
	m.where.Supersede()
	m.touched = repo.AllTopics
	a := m.app
	return m.where.Begin(repo.OwnWritesOnly(m.ctx), "where the branch stands", a.BranchStatus)
}

// refreshTopics does so where something of some topics may have changed.
func (m *Model) refreshTopics(topics repo.Topics) tea.Cmd {
	m.touched |= topics
	if m.app == nil || m.behind() {
		return nil // what it would find is older than what is shown; once the repository has followed it is looked at
	}
	a := m.app
	return m.where.Begin(m.ctx, "where the branch stands", a.BranchStatus)
}

func (m *Model) haveSituated(msg kit.Read[app.BranchStatus]) tea.Cmd {
	if m.behind() {
		return nil
	}
	if !m.where.Take(msg) {
		if msg.Err == nil && m.queue.tracking {
			// A later one, which no key waits for, has overtaken it, and what that leads to may not be on the screen yet.
			return m.refreshTopics(repo.AllTopics)
		}
		return nil
	}
	for i, screen := range m.screens {
		m.stale[i] = m.stale[i] || screen.Shows()&m.touched != 0
	}
	if !m.where.Pending() {
		m.touched = 0 // else some of them changed after this reading had begun
	}
	return m.show(m.at)
}

// show goes to a screen, and has it read what it shows if that was not read since something
// changed. What is hidden waits until it is shown; but Mend and Send speak of Shape's plan.
func (m *Model) show(at int) tea.Cmd {
	m.at = at
	var cmds []tea.Cmd
	for i, screen := range m.screens {
		wanted := i == at || screen.Name() == shape.Name && at > i
		if m.where.Known && m.stale[i] && wanted {
			m.stale[i] = false
			cmds = append(cmds, screen.Situated(m.where.Value))
		}
	}
	return tea.Batch(cmds...)
}

func (m *Model) screen() kit.Screen {
	if len(m.screens) == 0 {
		return nil
	}
	return m.screens[m.at]
}

func (m *Model) screenNamed(name string) kit.Screen {
	for _, screen := range m.screens {
		if screen.Name() == name {
			return screen
		}
	}
	return m.screen()
}

// forward moves branches up to what was fetched.
func (m *Model) forward() tea.Cmd {
	return kit.Start(kit.Work[string]{Title: "Moving forward", Do: func(ctx context.Context, _ func(string)) (string, error) {
		return planning.Of(m.app).Forward(ctx)
	}})
}

// makeRepository is offered where there is none.
func (m *Model) makeRepository() tea.Cmd {
	return func() tea.Msg {
		if err := app.MakeRepository(m.ctx, m.dir); err != nil {
			return opened{err: err}
		}
		return m.open()
	}
}

func (m *Model) openDemo() tea.Cmd {
	return func() tea.Msg {
		dir, err := os.MkdirTemp("", "lantern-quay-")
		if err != nil {
			return opened{err: err}
		}
		place, err := app.MakeDemo(m.ctx, dir)
		if err != nil {
			return opened{err: err}
		}
		m.dir = place
		return m.open()
	}
}
