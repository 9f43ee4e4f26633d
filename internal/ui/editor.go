package ui

import (
	"context"
	"fmt"
	"io"
	"os"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"charm.land/bubbles/v2/textarea"
	tea "charm.land/bubbletea/v2"
	"charm.land/lipgloss/v2"
	"github.com/charmbracelet/x/ansi"

	"bastel/internal/app"
	"bastel/internal/programs"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/ui/action"
	"bastel/internal/ui/kit"
	"bastel/internal/ui/stream"
	"bastel/internal/wording"
)

// Tabs and carriage returns show as these while a text is edited: the area would
// make spaces of the one and leave the other out.
const (
	shownTab    = "⇥"
	shownReturn = "␍"
)

var (
	showControls = strings.NewReplacer("\t", shownTab, "\r", shownReturn)
	hideControls = strings.NewReplacer(shownTab, "\t", shownReturn, "\r")
)

// editsInPlace says whether a text comes out of the area as it went in. What does not
// is for the user's own editor.
func editsInPlace(text string) bool {
	return utf8.ValidString(text) && !strings.ContainsAny(text, shownTab+shownReturn) &&
		!strings.ContainsFunc(text, func(r rune) bool { return unicode.IsControl(r) && !strings.ContainsRune("\t\r\n", r) })
}

// editor writes a message, or another text.
type editor struct {
	kit.Edit
	direct bool // goes to the user's own editor at once, and is done when that ends
	area   textarea.Model
	before string
	begun  string // the text as it was asked for
	warned bool   // that leaving forgets what was written

	about       kit.About // what the text is for
	aboutFailed error     // why that is not known
	changes     stream.Model
	headed      int  // rows above the changes
	aside       bool // where the halves are pages: what the text is for is shown
}

func newEditor(edit kit.Edit, theme kit.Theme) *editor { return newEditorOn(edit, edit.Text, theme) }

// newEditorOn writes a text that begins as a hook has prepared it.
func newEditorOn(edit kit.Edit, prepared string, theme kit.Theme) *editor {
	begun := edit.Text
	edit.Text = prepared
	if edit.CRLF {
		edit.Text = strings.ReplaceAll(edit.Text, "\r\n", "\n")
	}
	area := textarea.New()
	area.Prompt = "  "
	area.ShowLineNumbers = false
	area.CharLimit = 0
	area.MaxHeight = 0
	if edit.Message != nil {
		area.Placeholder = "Say what changes, in one line"
		if strings.TrimSpace(edit.Text) == "" {
			edit.Text = edit.Message.Template
			if comment := edit.Message.Comment; comment != "" && strings.HasPrefix(edit.Text, comment) {
				edit.Text = "\n" + edit.Text // else what is typed would become part of the comment
			}
		}
	}
	styles := area.Styles()
	styles.Focused.CursorLine = lipgloss.NewStyle()
	styles.Focused.Placeholder = theme.Dim.Lipgloss()
	styles.Focused.Text = theme.Plain.Lipgloss()
	styles.Focused.Prompt = theme.Dim.Lipgloss()
	styles.Focused.EndOfBuffer = theme.Dim.Lipgloss()
	area.SetStyles(styles)
	area.SetValue(showControls.Replace(strings.TrimSuffix(edit.Text, "\n")))
	area.MoveToBegin()
	switch {
	case edit.Message != nil && edit.Text != begun: // by a template or a hook: its first line is where the subject is
		area.CursorEnd()
	case edit.Message != nil || !strings.Contains(strings.TrimSpace(edit.Text), "\n"):
		area.MoveToEnd()
	}
	area.Focus()
	return &editor{Edit: edit, area: area, before: area.Value(), begun: begun}
}

func (e *editor) update(msg tea.Msg, m *Model) tea.Cmd {
	if e.leaf(keyOf(msg), m.bodySize()) {
		return nil
	}
	switch key := keyOf(msg); {
	case action.Is(action.KeepText, key) || e.OneLine && key == "enter":
		m.closePage()
		m.doneWriting(e)
		return e.Done(e.text())
	case action.Is(action.DropText, key) || key == "ctrl+c":
		if e.area.Value() != e.before && !e.warned {
			e.warned = true
			return nil
		}
		m.closePage()
		m.doneWriting(e)
		return kit.Say("Nothing was changed.")
	case action.Is(action.OwnEditor, key):
		return m.compose(e, e.forOwnEditor())
	case key == "tab":
		e.area.InsertString(shownTab)
		return m.keepText(e)
	case action.Is(action.EarlierTexts, key) && e.Message != nil:
		return m.openChooser(e.earlier(), e)
	case action.Is(action.Trailers, key) && e.Message != nil:
		return m.openChooser(e.trailers(), e)
	}
	e.warned = false
	before := e.area.Value()
	var cmd tea.Cmd
	e.area, cmd = e.area.Update(msg)
	if e.area.Value() == before {
		return inBackground(cmd) // the blinking of the cursor
	}
	return tea.Batch(inBackground(cmd), m.keepText(e))
}

// forOwnEditor is the text as the user's own editor gets it.
func (e *editor) forOwnEditor() string {
	if e.Message == nil || !e.Message.Verbose || len(e.about.Files) == 0 {
		return e.written()
	}
	return app.WithDifference(e.written(), e.Message.Comment, stream.Patch(e.about.Files))
}

// text is what was written, of a message without the hints of its template.
func (e *editor) text() string {
	if e.Message == nil {
		return e.written()
	}
	return app.WithoutHints(e.written(), e.Message.Template, e.Message.Comment)
}

// written is all that stands in the area, with the line ends that the file has; the last one is left out, but for its carriage return.
func (e *editor) written() string { return e.withEnds(hideControls.Replace(e.area.Value())) }

func (e *editor) withEnds(text string) string {
	if !e.CRLF || text == "" {
		return text
	}
	return strings.ReplaceAll(strings.ReplaceAll(text, "\r\n", "\n"), "\n", "\r\n") + "\r"
}

// set puts another text into the area.
func (e *editor) set(text string) {
	if e.CRLF {
		text = strings.TrimSuffix(strings.ReplaceAll(text, "\r\n", "\n"), "\r")
	}
	e.area.SetValue(showControls.Replace(text))
}

func (e *editor) earlier() kit.Choose {
	untouched := e.area.Value() == e.before && strings.TrimSpace(e.begun) != "" || strings.TrimSpace(e.area.Value()) == ""
	choose := kit.Choose{Title: "Put in an earlier message"}
	if untouched {
		choose.Title = "Start from an earlier message"
	}
	for _, message := range e.Message.Earlier {
		choose.Options = append(choose.Options, kit.Option{Label: safe.Line(repo.Subject(message)),
			Detail: wording.Count(strings.Count(strings.TrimSpace(message), "\n")+1, "line"), Do: func() tea.Cmd {
				text := strings.TrimRight(message, "\n")
				if untouched {
					e.set(text)
				} else { // never in place of what somebody typed
					e.area.InsertString(showControls.Replace(text))
				}
				return nil
			}})
	}
	return choose
}

func (e *editor) trailers() kit.Choose {
	choose := kit.Choose{Title: "Add a trailer"}
	for _, trailer := range e.Message.Trailers {
		choose.Options = append(choose.Options, kit.Option{Label: safe.Line(trailer), Do: func() tea.Cmd {
			e.area.SetValue(showControls.Replace(strings.TrimRight(app.AddTrailer(e.written(), trailer), "\n")))
			return nil
		}})
	}
	return choose
}

func (e *editor) scroll(turns int) { e.changes.Move(turns) }

// subjectRoom and bodyRoom are the widths that most readers of messages have.
const (
	subjectRoom = 60
	bodyRoom    = 72
)

// gauge says how the message stands against what readers expect.
func (e *editor) gauge(theme kit.Theme) (string, kit.Style) {
	subject, body, _ := strings.Cut(e.text(), "\n")
	hints := []string{fmt.Sprintf("subject %d of %d", ansi.StringWidth(subject), subjectRoom)}
	if ansi.StringWidth(subject) > subjectRoom {
		hints = append(hints, "the subject is long")
	}
	if strings.HasSuffix(subject, ".") {
		hints = append(hints, "a subject needs no full stop")
	}
	if word := notImperative(subject); word != "" {
		hints = append(hints, fmt.Sprintf("%q: most say what the commit does, as an order", word))
	}
	if body != "" && !strings.HasPrefix(body, "\n") {
		hints = append(hints, "leave a blank line below the subject")
	}
	for line := range strings.Lines(body) {
		if ansi.StringWidth(strings.TrimRight(line, "\n")) > bodyRoom {
			hints = append(hints, fmt.Sprintf("a line of the body is longer than %d", bodyRoom))
			break
		}
	}
	style := theme.Dim
	if len(hints) > 1 {
		style = theme.Next
	}
	return strings.Join(hints, "   "), style
}

// notImperative gives the first word of a subject if it looks like what was done, or
// is being done. It is a hint, and wrong at times.
func notImperative(subject string) string {
	word, _, more := strings.Cut(subject, " ")
	if !more || strings.IndexFunc(word, func(r rune) bool { return !unicode.IsLetter(r) }) >= 0 {
		return ""
	}
	lower := strings.ToLower(word)
	for _, ending := range []string{"ed", "ing"} {
		if stem, ok := strings.CutSuffix(lower, ending); ok && len(stem) > 2 && !strings.HasSuffix(stem, "e") && lower != "embed" &&
			lower != "bring" {
			return word
		}
	}
	return ""
}

func (e *editor) keys() string {
	if e.warned {
		return "press esc again to forget what you wrote   ctrl+s keeps it"
	}
	if e.OneLine {
		return "enter keep   " + line(action.DropText)
	}
	ids := []action.ID{action.KeepText, action.DropText}
	if e.About != nil {
		ids = append(ids, action.AboutDown)
	}
	if ids = append(ids, action.OwnEditor); e.Message == nil {
		return line(ids...) + "   " + shownTab + " is a tab"
	}
	return line(append(ids, action.EarlierTexts, action.Trailers)...)
}

// line is a line of keys for a page.
func line(ids ...action.ID) string {
	var parts []string
	for _, id := range ids {
		a := action.Find(id)
		parts = append(parts, a.Key()+" "+a.Name)
	}
	return strings.Join(parts, "   ")
}

type composed struct {
	editor *editor
	file   string
	err    error
}

// compose opens what is being written in the user's own editor.
func (m *Model) compose(e *editor, text string) tea.Cmd {
	file, err := os.CreateTemp("", "bastel-text-*"+e.Suffix)
	if err == nil {
		_, err = file.WriteString(text + "\n")
		err = firstError(err, file.Close())
	}
	if err != nil {
		return kit.Show(kit.Notice{Text: err.Error(), Trouble: true})
	}
	run, err := m.editorOn(file.Name(), 0)
	if err != nil {
		os.Remove(file.Name())
		return kit.Show(kit.Notice{Text: err.Error(), Trouble: true})
	}
	return tea.Exec(run, func(err error) tea.Msg { return composed{e, file.Name(), err} })
}

func firstError(errs ...error) error {
	for _, err := range errs {
		if err != nil {
			return err
		}
	}
	return nil
}

// haveComposed takes back what the user's own editor has written.
func (m *Model) haveComposed(msg composed) tea.Cmd {
	data, err := os.ReadFile(msg.file)
	os.Remove(msg.file)
	if err = firstError(msg.err, err); err != nil {
		m.say(kit.Notice{Text: err.Error(), Trouble: true})
		return nil
	}
	text := strings.TrimSuffix(string(data), "\n")
	if help := msg.editor.Message; help != nil {
		text = strings.TrimSuffix(app.WithoutComments(app.WithoutDifference(text, help.Comment), help.Comment), "\n")
	}
	if msg.editor.direct {
		return msg.editor.Done(msg.editor.withEnds(strings.TrimSuffix(text, "\r")))
	}
	msg.editor.set(text)
	msg.editor.warned = false
	return nil
}

// prepared is what the hook that prepares messages made of one that is begun.
type prepared struct {
	edit kit.Edit
	text string
}

// edit begins to edit a text. The hook that prepares messages sees one first that is begun, as it does with the repository's commands.
func (m *Model) edit(msg kit.Edit) tea.Cmd {
	_, kept := m.unfinished.kept(msg)
	if msg.Message == nil || !msg.Message.Prepares || msg.Begun || kept {
		return m.openEditor(msg, msg.Text)
	}
	text, from, a := msg.Text, msg.From, m.app
	if strings.TrimSpace(text) == "" {
		if text = msg.Message.Template; text != "" {
			from = []string{"template"}
		}
	}
	return kit.Seek(m.seeking(), "what the prepare-commit-msg hook says", func(ctx context.Context) tea.Msg {
		text, err := a.PrepareMessage(ctx, text, from...)
		if err != nil {
			return kit.Notice{Text: app.Explain(err), Trouble: true}
		}
		return prepared{msg, text}
	})
}

func (m *Model) havePrepared(msg prepared) tea.Cmd {
	help := *msg.edit.Message
	help.Template, msg.edit.Message = msg.text, &help // the hook's hints are no more part of the message than a template's
	return m.openEditor(msg.edit, msg.text)
}

// openEditor opens the editor, or the user's own one for what only that can show.
func (m *Model) openEditor(msg kit.Edit, text string) tea.Cmd {
	if editsInPlace(text) {
		e := newEditorOn(msg, text, m.theme)
		if text, ok := m.unfinished.kept(msg); ok && editsInPlace(text) {
			e.set(text)
			m.say(kit.Notice{Text: "What you wrote here before Bastel ended is here again; esc, twice, forgets it."})
		}
		return tea.Batch(m.openPage(e), e.readAbout(m))
	}
	return m.compose(&editor{Edit: msg, direct: true}, strings.TrimSuffix(text, "\n"))
}

type launched struct {
	err  error
	then tea.Cmd
}

// launch opens a working file, or a folder, in the user's editor, or a shell in it.
func (m *Model) launch(msg kit.Launch) tea.Cmd {
	file := m.app.Repo.WorkPath(msg.Path)
	switch {
	case msg.Dir != "":
		file = msg.Dir
	case msg.File != "":
		file = msg.File
	}
	run, err := m.editorOn(file, msg.Line)
	if msg.Shell {
		run, err = programs.Shell(msg.Dir), nil
	}
	if err != nil {
		return kit.Show(kit.Notice{Text: err.Error(), Trouble: true})
	}
	return tea.Exec(unhurried{run}, func(err error) tea.Msg { return launched{err, msg.Done} })
}

// editorOn is the user's editor on a file; line 0 leaves it to the editor where it begins.
func (m *Model) editorOn(file string, line int) (*programs.InTerminal, error) {
	editor, err := m.app.Repo.Editor(repo.Because(m.ctx, "which editor"))
	if err != nil {
		return nil, err
	}
	return programs.Editor(editor, m.app.Repo.Top(), file, line)
}

// haveLaunched reads anew what the program may have changed.
func (m *Model) haveLaunched(msg launched) tea.Cmd {
	if msg.err != nil {
		m.say(kit.Notice{Text: msg.err.Error(), Trouble: true})
	}
	return tea.Batch(m.refresh(), msg.then)
}

// unhurried keeps a program that ends at once, such as a script in an editor's place, from
// coming back too early: the library stops its drawing beside all else, and if it is
// started again before that has happened it stays stopped.
type unhurried struct{ tea.ExecCommand }

// leastAway is how long the screen is given away at least.
const leastAway = 200 * time.Millisecond

// SetStdin gives the program the terminal itself, not what Bastel makes of its keys.
func (u unhurried) SetStdin(io.Reader) { u.ExecCommand.SetStdin(os.Stdin) }

// SetStdout gives it the terminal too, not what counts what is drawn.
func (u unhurried) SetStdout(io.Writer) { u.ExecCommand.SetStdout(os.Stdout) }

// Run carries the program out.
func (u unhurried) Run() error {
	back := time.After(leastAway)
	err := u.ExecCommand.Run()
	<-back
	return err
}
