package kit

import (
	"bytes"
	"context"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/repo"
	"bastel/internal/tray"
)

// Half is one side of a screen.
type Half int

// The halves.
const (
	Now Half = iota
	Next
)

// Size is the room for a screen's body. Narrow says that only one half fits.
type Size struct {
	Width, Height int
	Narrow        bool
}

// Screen is one of the application's screens. Update answers the screen's own
// messages only; keys come as actions.
type Screen interface {
	Name() string
	// Shows are the topics of which the screen shows something: it is read anew where one of them changed.
	Shows() repo.Topics
	// Situated tells the screen where the user stands and has it read what it shows.
	Situated(s app.BranchStatus) tea.Cmd
	Update(msg tea.Msg) tea.Cmd
	// Failed is why something could not be read anew, so that what is shown may be older; nil: all was.
	Failed() error
	Actions() []Action
	// Explain says in the help what is shown, and what it is for.
	Explain() (title, text string)
	// View draws exactly size.Height rows of size.Width cells.
	View(size Size, theme Theme) []string
	// Click is told of a click, Wheel of turns of the wheel, at a place in the body.
	Click(x, y int) tea.Cmd
	Wheel(x, y, turns int)
}

// Work asks the frame to carry out a step that changes something, or that talks
// to a remote: one at a time, and one beside, with its progress shown, and stopped by esc. When it
// is done the situation is read anew.
type Work[T any] struct {
	Title      string
	Do         func(ctx context.Context, report func(string)) (T, error)
	Done       func(T) Got // what is shown of it; nil: T is a note, or a Got
	Then       tea.Cmd     // after success
	Background bool        // other work may go on beside it
	Quiet      bool        // of work beside: what it reports is not kept to be read, only its end is told

	Tells <-chan tea.Msg // what it tells while it runs; closed when it ends
}

// Job is work as the frame carries it out: Done gives what came of it.
type Job struct {
	Title             string
	Do                func(ctx context.Context, report func(string)) (done func() Got, err error)
	Then              tea.Cmd
	Background, Quiet bool
	Tells             <-chan tea.Msg
}

// job is the work without its type.
func (w Work[T]) job() Job {
	return Job{w.Title, func(ctx context.Context, report func(string)) (func() Got, error) {
		value, err := w.Do(ctx, report)
		return func() Got { return w.got(value) }, err
	}, w.Then, w.Background, w.Quiet, w.Tells}
}

func (w Work[T]) got(value T) Got {
	if w.Done != nil {
		return w.Done(value)
	}
	switch value := any(value).(type) {
	case string:
		return Got{Note: value}
	case Got:
		return value
	}
	return Got{}
}

// Follow is a step that the screen shows as done already: the repository follows, one step after
// the other, and the screen is told Followed. Where one is refused those after it are dropped, and
// the screen is told Refused.
type Follow struct {
	Screen, Title string
	Do            func(ctx context.Context) error

	// Steps that follow each other and have a part are carried out at once: Each does the parts in their order, and says
	// how many it has done, which are those before the one that failed.
	Part any
	Each func(ctx context.Context, parts []any) (done int, err error)
}

// Followed tells a screen that the repository has done a step that it shows.
type Followed struct{}

// Refused tells a screen that what it shows as done was not: it is read anew.
type Refused struct{}

// Got is what came of work: a note, and what the screen or the frame is told.
type Got struct {
	Note string
	Msg  tea.Msg
}

// ToScreen is got for a screen.
func ToScreen(screen string, msg tea.Msg) Got { return Got{Msg: ForScreen{Screen: screen, Msg: msg}} }

// Start wraps work as a command.
func Start[T any](w Work[T]) tea.Cmd { return Show(w.job()) }

// AskAllow asks whether the repository's own configuration may start what it names, and goes on then.
func AskAllow(question string, allow func() error, then tea.Cmd) Ask {
	return Ask{Question: question + " y allows it here from now on.", Key: "y", Yes: func() tea.Msg {
		if err := allow(); err != nil {
			return Notice{Text: err.Error(), Trouble: true}
		}
		return then()
	}}
}

// AskMeant asks whether lines that look like conflict markers are intended.
func AskMeant(question string, yes tea.Cmd) Ask {
	return Ask{Question: question + " y says that the lines are intended.", Key: "y", Yes: yes}
}

// Notice shows a sentence above the line of keys.
type Notice struct {
	Text    string
	Trouble bool
}

// Page shows a text that a key asked for, below its first line.
type Page struct{ Text string }

// Say wraps a notice as a command.
func Say(text string) tea.Cmd { return func() tea.Msg { return Notice{Text: text} } }

// Edit asks the frame for the editor. A message gets gauges, and what helps to write
// one; other text does not.
type Edit struct {
	Title   string
	Text    string
	Message *app.Writing // nil: the text is no message
	OneLine bool         // it is a name, or the like: enter keeps it
	Suffix  string       // of the file's name, for the user's own editor
	Begun   bool         // of a message: it was begun before, so that the hook which prepares messages has seen it
	From    []string     // of a message: what it is begun from, as that hook gets told
	CRLF    bool         // lines end so in the file that it belongs to: it is written without, and every line gets it
	Done    func(text string) tea.Cmd
	// About reads what the text is for, which stands in Now while it is written; nil: the screen shows it.
	About func(ctx context.Context) (About, error)
}

// AllCRLF says whether all lines that have an end, and at least one, end with a carriage return and a line feed.
func AllCRLF(lines [][]byte) bool {
	some := false
	for _, line := range lines {
		if bytes.HasSuffix(line, []byte("\n")) {
			if !bytes.HasSuffix(line, []byte("\r\n")) {
				return false
			}
			some = true
		}
	}
	return some
}

// About is what a text is for.
type About struct {
	Title string      // made fit to be drawn, as the lines are
	Lines []string    // what there is to say of it
	Files []tray.File // what it changes
}

// AboutCommit reads a commit that a text is for.
func AboutCommit(a *app.App, title string, id repo.ID) func(ctx context.Context) (About, error) {
	return func(ctx context.Context) (About, error) {
		l, err := ReadLook(ctx, a, id)
		return About{title, l.Out.Header(), l.Files}, err
	}
}

// Launch asks the frame to open a working file in the user's editor; or a folder, in
// the editor or in a shell, with what comes after.
type Launch struct {
	File  string // an absolute name; in place of Path
	Path  string
	Line  int
	Dir   string
	Shell bool
	Done  tea.Cmd
}

// Ask asks the frame to put a question; Yes runs only on the key that it names.
type Ask struct {
	Question string
	Key      string
	Yes      tea.Cmd
}

// Choose asks the frame for a list to pick from.
type Choose struct {
	Title    string
	Options  []Option
	Question bool                        // it is a question: keys that were typed before it was there do not answer it
	Find     func(typed string) []Option // if set, in place of Options: what fits the typed text
}

// Option is one line of a list to pick from.
type Option struct {
	Label, Detail string
	// Key, if it is one character, is the choice's own key; else a short note at the end of its row, such as an id.
	Key string
	Do  func() tea.Cmd // nil: only to be read
	// Look reads out what the choice is about, shown in Next while the cursor is on it; nil: there is no more to say.
	Look func(ctx context.Context) (string, error)
}

// Show turns a request into a command.
func Show(msg tea.Msg) tea.Cmd { return func() tea.Msg { return msg } }

// Sequence are commands that run one after another.
type Sequence []tea.Cmd

// InSequence runs commands one after another; those that are nil are passed over.
func InSequence(cmds ...tea.Cmd) tea.Cmd { return Show(Sequence(cmds)) }

// FileAt is a file as of a commit, and a line of it, from 1; 0: none.
type FileAt struct {
	Point, Path string
	Line        int
}

// FileHolder is a screen that can have its cursor on a file.
type FileHolder interface {
	// FileAtHand is the file that the cursor is on.
	FileAtHand() (FileAt, bool)
}

// PlanFor asks for an edit of a branch's plan, once that branch's series is known: it goes onto another point, or takes
// another branch in by a merge, takes a commit of its own back, or a commit from elsewhere in.
type PlanFor struct {
	Branch, Onto, Merge string
	Base                string // the point after which the series begins
	Revert, Take        repo.ID
}

// ForScreen carries a message to one screen.
type ForScreen struct {
	Screen string
	Msg    tea.Msg
}

// For is the screen.
func (f ForScreen) For() string { return f.Screen }
