package ui

import (
	"context"
	"regexp"
	"strings"

	"charm.land/bubbles/v2/textinput"
	tea "charm.land/bubbletea/v2"

	"bastel/internal/ask"
	"bastel/internal/safe"
	"bastel/internal/ui/kit"
)

// question is one that a command put, and where the answer goes.
type question struct {
	ask.Question
	ctx    context.Context // ends when nobody waits for the answer any more
	answer chan<- string   // closed for no answer
}

// prompts brings questions from commands to the screen, one at a time.
type prompts chan question

// ask puts a question on the line and waits.
func (h prompts) ask(ctx context.Context, q ask.Question) (string, error) {
	answer := make(chan string, 1)
	select {
	case h <- question{q, ctx, answer}:
	case <-ctx.Done():
		return "", ctx.Err()
	}
	select {
	case text, ok := <-answer:
		if !ok {
			return "", ask.ErrNoAnswer
		}
		return text, nil
	case <-ctx.Done():
		return "", ctx.Err()
	}
}

type asked struct {
	question
	from prompts
}

// unasked says that nobody waits for an answer any more.
type unasked struct{ page *questioner }

// awaitQuestion waits for the next question.
func (m *Model) awaitQuestion(line prompts) tea.Cmd {
	return func() tea.Msg {
		select {
		case q := <-line:
			return asked{q, line}
		case <-m.ctx.Done():
			return nil
		}
	}
}

// haveQuestion puts a question on the screen, over whatever is there.
func (m *Model) haveQuestion(msg asked) tea.Cmd {
	q := newQuestioner(msg.question, m.page, m.theme)
	m.page = q
	return tea.Batch(m.awaitQuestion(msg.from), func() tea.Msg {
		<-msg.ctx.Done()
		return unasked{q}
	})
}

func (m *Model) haveUnasked(msg unasked) {
	if m.page == msg.page {
		m.page = msg.page.back
	}
}

// questioner is the page of a question.
type questioner struct {
	question
	back  page
	input textinput.Model
}

func newQuestioner(q question, back page, theme kit.Theme) *questioner {
	input := textinput.New()
	input.Prompt = "  "
	styles := input.Styles()
	styles.Focused.Text = theme.Next.Lipgloss()
	styles.Focused.Prompt = theme.Dim.Lipgloss()
	input.SetStyles(styles)
	if q.Secret {
		input.EchoMode = textinput.EchoPassword
		input.EchoCharacter = '·'
	}
	input.Focus()
	return &questioner{q, back, input}
}

func (q *questioner) update(msg tea.Msg, m *Model) tea.Cmd {
	key := keyOf(msg)
	switch {
	case key == "esc" || key == "ctrl+c":
		m.page = q.back
		close(q.answer)
		return kit.Say("The question was not answered.")
	case q.Notice && key != "":
		m.page = q.back // the command goes on by itself
		return nil
	case q.Confirm && key == "y":
		m.page = q.back
		q.answer <- "yes"
		return nil
	case q.Confirm && key != "":
		m.page = q.back
		q.answer <- "no"
		return kit.Say("You said no.")
	case key == "enter":
		m.page = q.back
		q.answer <- q.input.Value()
		return nil
	}
	var cmd tea.Cmd
	q.input, cmd = q.input.Update(msg)
	return inBackground(cmd) // the blinking of the cursor
}

// answers are those that a command names in its question, which here are keys.
var answers = regexp.MustCompile(`\s*\((?i:yes/no)[^)]*\)`)

// shown is the question without the answers that are not what is typed here.
func (q *questioner) shown() string {
	if q.Confirm {
		return answers.ReplaceAllString(q.Text, "")
	}
	return q.Text
}

func (q *questioner) scroll(int) {}

func (q *questioner) view(size kit.Size, m *Model) []string {
	rows := title(size, "The remote asks", m.theme)
	for line := range strings.SplitSeq(safe.Text(q.shown()), "\n") {
		for _, part := range kit.Wrap(kit.Expand(line), size.Width-4) {
			rows = append(rows, kit.Row(size.Width, nil, kit.Seg{Text: safe.Show("  " + part)}))
		}
	}
	rows = append(rows, kit.Blank(size.Width))
	if q.Confirm || q.Notice {
		return kit.Pad(rows, size.Width, size.Height)
	}
	q.input.SetWidth(size.Width - 4)
	rows = append(rows, kit.Fit(q.input.View(), size.Width), kit.Blank(size.Width),
		kit.Row(size.Width, nil, kit.Seg{Text: "  The answer stays in memory until you leave, and is written nowhere.", Style: m.theme.Dim}))
	return kit.Pad(rows, size.Width, size.Height)
}

func (q *questioner) keys() string {
	switch {
	case q.Notice:
		return "any key closes this; it continues by itself"
	case q.Confirm:
		return "y yes   any other key: no   esc no answer"
	}
	return "enter answer   esc no answer"
}
