package shape

import (
	"context"
	"errors"
	"fmt"
	"strings"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/shape"
	"bastel/internal/suggest"
	"bastel/internal/ui/kit"
	"bastel/internal/wording"
)

// surveyed is what was found out about the branch's commits.
type surveyed struct {
	tip       repo.ID
	matrix    suggest.Matrix
	published map[repo.ID]bool
	stack     []app.Stacked
}

// survey reads sizes and overlaps in the background, after the plan itself is shown.
func (m *Model) survey() tea.Cmd {
	plan := m.plan
	var sources []app.Source
	for _, id := range plan.Sources {
		sources = append(sources, m.sourceOf(id))
	}
	return m.surveying.Begin(m.ctx, Name, func(ctx context.Context) (surveyed, error) {
		matrix, err := m.planning.Survey(ctx, plan)
		if err != nil {
			return surveyed{}, err
		}
		published, err := m.sorting.Published(ctx, sources)
		if err != nil {
			return surveyed{}, err
		}
		stack, err := m.app.Stack(ctx, plan)
		return surveyed{plan.Tip, matrix, published, stack}, err
	})
}

// sizesOf says how large each commit is.
func sizesOf(matrix suggest.Matrix) map[repo.ID]string {
	type size struct{ files, added, removed int }
	sizes := make([]size, len(matrix.Commits))
	for _, row := range matrix.Rows {
		for _, cell := range row.Cells {
			s := &sizes[cell.Commit]
			s.files++
			s.added += cell.Added
			s.removed += cell.Removed
		}
	}
	words := make(map[repo.ID]string, len(sizes))
	for i, s := range sizes {
		words[matrix.Commits[i].ID] = fmt.Sprintf("%s +%d −%d", wording.Count(s.files, "file"), s.added, s.removed)
	}
	return words
}

// measure says how large a commit is, and whether a remote has it.
func (m *Model) measure(i int) string {
	id := m.plan.Sources[i]
	words := m.sizes[id]
	if m.published[id] {
		words += "  sent"
	}
	return words
}

// ideas shows what could be joined or left out. Each idea is a plan.
func (m *Model) ideas() tea.Cmd {
	if len(m.matrix.Commits) == 0 && len(m.plan.Sources) > 0 {
		m.ideasSoon = true // its commits are still being looked into
		return nil
	}
	found := suggest.Find(m.matrix, m.plan, m.forecast)
	if len(found) == 0 {
		return kit.Say("No suggestions: nothing here looks as if it should be joined or left out.")
	}
	choose := kit.Choose{Title: "What could be done with this plan, and how many commits it then has"}
	for _, s := range found {
		choose.Options = append(choose.Options, kit.Option{
			Key: wording.Count(len(s.Plan.Next), "commit"), Label: safe.Line(s.Title), Detail: outline(m, s.Plan),
			Do: func() tea.Cmd { return m.set(s.Plan) },
		})
	}
	return kit.Show(choose)
}

// outline shows a plan in one line: which sources each entry is made of.
func outline(m *Model, plan shape.Plan) string {
	var entries []string
	for _, e := range plan.Next {
		var names []string
		for _, id := range e.From {
			names = append(names, m.name(id))
		}
		entries = append(entries, strings.Join(names, "+"))
	}
	return strings.Join(entries, " ")
}

// quick are small plans that are applied at once if they are clean.
func (m *Model) quick() tea.Cmd {
	at := m.entry()
	var options []kit.Option
	now := func(key, label, detail string, plan func() shape.Plan) {
		options = append(options, kit.Option{Key: key, Label: label, Detail: detail, Do: func() tea.Cmd { return m.applyAtOnce(plan()) }})
	}
	if at >= 0 {
		subject := safe.Line(m.subject(m.plan.Next[at]))
		options = append(options, kit.Option{Key: "m", Label: "Reword it", Detail: subject, Do: func() tea.Cmd { return m.rewordAtOnce(at) }})
		now("x", "Leave it out", subject, func() shape.Plan { return m.plan.LeaveOut(at) })
		if at > 0 {
			now("s", "Squash it into the one above", safe.Line(m.subject(m.plan.Next[at-1])), func() shape.Plan { return m.plan.Join(at-1, at) })
		}
		options = append(options, kit.Option{Key: "a", Label: "Join what is staged to it", Detail: subject,
			Do: func() tea.Cmd { return m.joinStaged(m.plan.Next[at].From[0]) }})
	}
	if marked := m.markedPlaces(); len(marked) > 1 {
		now("e", "Squash the marked ones", wording.Count(len(marked), "entry"), func() shape.Plan { return m.plan.Join(marked...) })
	}
	if len(m.plan.Next) > 1 {
		now("o", "Join all of the branch into one commit", "The first message stays; reword it afterwards.", func() shape.Plan {
			all := make([]int, len(m.plan.Next))
			for i := range all {
				all[i] = i
			}
			return m.plan.Join(all...)
		})
	}
	return kit.Show(kit.Choose{Title: "Done at once, if it is clean; u undoes it", Options: options})
}

func (m *Model) rewordAtOnce(at int) tea.Cmd {
	e := m.plan.Next[at]
	text := e.Message
	if text == "" {
		text = m.sourceOf(e.From[0]).Message
	}
	return kit.Show(kit.Edit{Title: "Message of entry " + shape.Letter(at), Text: text, Message: &m.writing, Suffix: "COMMIT_EDITMSG",
		Begun: e.Message != "", From: m.begunFrom(e), About: m.aboutEntry(at),
		Done: func(text string) tea.Cmd {
			if text = app.CleanMessage(text); text == "" {
				return kit.Show(kit.Notice{Text: "A commit needs a message; it stays as it was.", Trouble: true})
			}
			return m.applyAtOnce(m.plan.Reword(at, text))
		}})
}

// joinStaged joins what tray A holds to a commit.
func (m *Model) joinStaged(into repo.ID) tea.Cmd {
	return kit.Start(kit.Work[string]{
		Title: "Joining",
		Do: func(ctx context.Context, _ func(string)) (string, error) {
			n, applied, err := m.sorting.JoinTray(ctx, into)
			return fmt.Sprintf("Joined %s to %s.%s u undoes it.", wording.Count(n, "hunk"), into.Short(), applied.Remarks()), err
		},
	})
}

// draw writes a picture of the plan, or of what overlaps.
func (m *Model) draw() tea.Cmd {
	_, overlaps := m.over.(*grid)
	return kit.Draw(m.app, m.plan.Branch, m.planning.DrawingOf(m.plan, overlaps))
}

// labels names the branches that will sit on an entry.
func (m *Model) labels(at int) string {
	var names []string
	for _, s := range m.stack {
		if m.plan.Place(s.At) == at {
			names = append(names, stacked(s))
		}
	}
	if len(names) == 0 {
		return ""
	}
	return "  ← " + strings.Join(names, ", ")
}

// stacked names a branch, its own commits, and that it stays if it does.
func stacked(s app.Stacked) string {
	name := safe.Line(s.Name)
	if s.Above > 0 {
		name += fmt.Sprintf(" +%d", s.Above)
	}
	if s.Stays != "" {
		name += " stays" // why, the menu says
	}
	return name
}

// chooseStack asks for each branch on the series whether it comes along. The choice is kept.
func (m *Model) chooseStack() tea.Cmd {
	choose := kit.Choose{Title: "Which branches come along when the commits they sit on are rewritten?"}
	for _, s := range m.stack {
		carry := s.Stays != ""
		label, detail := safe.Line(s.Name)+" comes along", "choose that it stays"
		if carry {
			label, detail = safe.Line(s.Name)+" stays: "+safe.Line(s.Stays), "choose that it comes along; what is checked out elsewhere or "+
				"shared stays all the same"
		}
		choose.Options = append(choose.Options, kit.Option{Label: label, Detail: detail, Do: func() tea.Cmd {
			return kit.InSequence(func() tea.Msg {
				if err := m.app.ChooseStack(repo.Because(m.ctx, "what becomes of stacked branches"), s.Name, carry); err != nil {
					return kit.Notice{Text: err.Error(), Trouble: true}
				}
				return nil
			}, m.survey())
		}})
	}
	return kit.Show(choose)
}

// check runs the user's command on each resulting commit, beside all other work.
func (m *Model) check() tea.Cmd {
	f := m.forecast
	if f == nil && m.trouble == "" {
		m.checkSoon = true
		return kit.Say("The check begins when the forecast is there.")
	}
	if f == nil || f.Conflicts() > 0 {
		return kit.Say("The entries can be checked once the forecast has no conflict.")
	}
	tells := make(chan tea.Msg)
	return kit.Start(kit.Work[kit.Got]{
		Title:      "Checking each entry",
		Background: true,
		Tells:      tells,
		Do: func(ctx context.Context, report func(string)) (kit.Got, error) {
			defer close(tells)
			failed := 0
			err := m.planning.CheckSteps(ctx, f, func(step int, c app.Checked) {
				word := "passed"
				if !c.Passed {
					word = "failed"
					failed++
				}
				report(fmt.Sprintf("%s  %s  %s\n", shape.Letter(step), word, safe.Line(f.Steps[step].Title)))
				tells <- kit.ForScreen{Screen: Name, Msg: outcome{f.Steps[step].Tree, c}}
			})
			if errors.Is(err, app.ErrNotAllowed) {
				return kit.Got{Msg: kit.AskAllow(app.QuestionOf(err), m.app.AllowHere, m.check())}, nil
			}
			if err == nil && failed > 0 {
				err = fmt.Errorf("the check failed on %s; ; shows what it said", wording.Count(failed, "entry"))
			}
			return kit.Got{Note: "The check passed on every entry."}, err
		},
	})
}

// outcome is what the check said of a content.
type outcome struct {
	tree    repo.ID
	checked app.Checked
}

// verdict is what the check said of a step's content, if it has run.
func (m *Model) verdict(tree repo.ID) (app.Checked, bool) {
	c, ok := m.checked[tree]
	return c, ok
}

// showCheck shows what the check said of the entry at the cursor.
func (m *Model) showCheck() tea.Cmd {
	at := m.entry()
	if m.forecast == nil || at < 0 || at >= len(m.forecast.Steps) {
		return nil
	}
	c, ok := m.verdict(m.forecast.Steps[at].Tree)
	if !ok {
		return kit.Say("This entry was not checked yet. T checks all of them.")
	}
	word := "passed"
	if !c.Passed {
		word = "failed"
	}
	return kit.Show(kit.Page{Text: "The check " + word + " on entry " + shape.Letter(at) + "\n" + c.Output + "\n"})
}
