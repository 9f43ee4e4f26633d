package shape

import (
	"context"
	"fmt"
	"os"
	"slices"
	"strings"
	"time"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/app/planning"
	"bastel/internal/app/sorting"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/shape"
	"bastel/internal/tray"
	"bastel/internal/ui/kit"
	"bastel/internal/wording"
)

// made is an edited plan together with the commits that were made for it.
type made struct {
	of      shape.Plan // the plan that was edited
	plan    shape.Plan
	sources []app.Source // those that the plan speaks of
	then    string       // the screen to go to once the plan is applied
}

// make has commits made for the plan in the background and takes the edit in.
func (m *Model) make(title string, edit func(ctx context.Context) (shape.Plan, error)) tea.Cmd {
	of := m.plan
	return kit.Start(kit.Work[kit.Got]{
		Title: title,
		Do: func(ctx context.Context, _ func(string)) (kit.Got, error) {
			plan, err := edit(ctx)
			if err != nil {
				return kit.Got{}, err
			}
			sources, err := m.app.Sources(ctx, slices.Concat(plan.Sources, madeFor(plan)))
			return kit.ToScreen(Name, made{of: of, plan: plan, sources: sources}), err
		},
	})
}

// madeFor lists the commits that exist for a plan only.
func madeFor(plan shape.Plan) []repo.ID {
	ids := slices.Clone(plan.Extra)
	for _, s := range plan.Splits {
		ids = append(ids, s.Parts...)
	}
	return ids
}

func (m *Model) know(sources []app.Source) {
	for _, s := range sources {
		m.known[s.ID] = s
	}
}

// name is how a piece is called: the source's number, with the part's, or a plus.
func (m *Model) name(piece repo.ID) string {
	source, part := m.plan.Origin(piece)
	switch {
	case source.IsZero():
		return "+"
	case part > 0:
		return fmt.Sprintf("%d.%d", slices.Index(m.plan.Sources, source)+1, part)
	}
	return fmt.Sprint(slices.Index(m.plan.Sources, source) + 1)
}

// places are the entries that are meant: the marked ones, or the one at the cursor.
func (m *Model) places() []int {
	if marked := m.markedPlaces(); len(marked) > 0 {
		return marked
	}
	if at := m.entry(); at >= 0 {
		return []int{at}
	}
	return nil
}

// gather takes the entries that are meant to a place.
func (m *Model) gather(to int) tea.Cmd {
	places := m.places()
	if m.half == kit.Next {
		m.cursor[kit.Next] = min(to, len(m.plan.Next)-len(places))
	}
	return m.set(m.plan.Gather(places, to))
}

func (m *Model) choosePlace() tea.Cmd {
	places := m.places()
	choose := kit.Choose{Title: "Before which entry?"}
	to := 0
	for i, e := range m.plan.Next {
		if slices.Contains(places, i) {
			continue
		}
		at := to
		to++
		choose.Options = append(choose.Options, kit.Option{Key: shape.Letter(i), Label: safe.Line(m.subject(e)),
			Do: func() tea.Cmd { return m.gather(at) }})
	}
	choose.Options = append(choose.Options, kit.Option{Label: "to the end", Do: func() tea.Cmd { return m.gather(len(m.plan.Next)) }})
	return kit.Show(choose)
}

// subject is what an entry will be called.
func (m *Model) subject(e shape.Entry) string {
	if e.Message != "" {
		return repo.Subject(e.Message)
	}
	return m.sourceOf(e.From[0]).Commit.Subject()
}

// fillings are what a new commit could hold.
type fillings []sorting.Filling

// insert puts a new commit behind the entry at the cursor.
func (m *Model) insert() tea.Cmd {
	if m.elsewhere() {
		return m.insertEmpty() // loose changes belong to the branch that is checked out
	}
	return kit.Find(m.ctx, Name, func(ctx context.Context) (fillings, error) {
		found, err := m.sorting.Fillings(ctx)
		return fillings(found), err
	})
}

func (m *Model) offerFillings(found fillings) tea.Cmd {
	if len(found) == 0 {
		return m.insertEmpty()
	}
	choose := kit.Choose{Title: "A new commit after entry " + shape.Letter(m.entry()),
		Options: []kit.Option{{Label: "an empty one", Do: m.insertEmpty}}}
	for _, f := range found {
		label := "of what is in tray " + f.Tray.String()
		if f.Tray == tray.Loose {
			label = "of all that is loose"
		}
		choose.Options = append(choose.Options, kit.Option{Label: label, Detail: wording.Count(len(f.Files), "file"),
			Do: func() tea.Cmd { return m.insertLoose(f) }})
	}
	return kit.Show(choose)
}

// insertLoose makes a commit of loose changes at the branch's end, in one step of its
// own, and has the plan take it to its place.
func (m *Model) insertLoose(of sorting.Filling) tea.Cmd {
	at := m.entry() + 1
	return kit.Show(kit.Edit{Title: "Message of the new commit", Message: &m.writing, Suffix: "COMMIT_EDITMSG",
		About: func(context.Context) (kit.About, error) {
			return kit.About{Title: "what it will hold", Files: of.Files}, nil
		},
		Done: func(text string) tea.Cmd {
			if app.CleanMessage(text) == "" {
				return kit.Say("Without a message there is no commit.")
			}
			return kit.Start(kit.Work[kit.Got]{
				Title: "Making the commit",
				Do: func(ctx context.Context, _ func(string)) (kit.Got, error) {
					made, err := m.sorting.CommitFrom(ctx, of.Tray, text)
					if err != nil {
						return kit.Got{}, err
					}
					got := kit.ToScreen(Name, inserted{made.Commits[0], at})
					got.Note = strings.TrimSpace("The new commit is at the branch's end; the plan takes it to its place. " + made.Warning)
					return got, nil
				},
			})
		}})
}

// inserted is a new commit at the branch's end, and where the plan shall have it.
type inserted struct {
	commit repo.ID
	at     int
}

// place takes a commit that was inserted to its place, once the plan knows it.
func (m *Model) place() tea.Cmd {
	last, at := len(m.plan.Next)-1, m.placing.at
	if m.placing.commit.IsZero() || m.plan.Tip != m.placing.commit {
		return nil
	}
	m.placing = inserted{}
	if at >= last {
		return nil
	}
	m.half, m.cursor[kit.Next] = kit.Next, at
	return m.set(m.plan.Move(last, at))
}

// insertEmpty puts an empty commit behind the entry at the cursor.
func (m *Model) insertEmpty() tea.Cmd {
	at := m.entry() + 1
	plan := m.plan
	return kit.Show(kit.Edit{Title: "Message of a new, empty commit", Message: &m.writing, Suffix: "COMMIT_EDITMSG",
		Done: func(text string) tea.Cmd {
			if app.CleanMessage(text) == "" {
				return kit.Say("Without a message there is no commit.")
			}
			return m.make("Making the commit", func(ctx context.Context) (shape.Plan, error) {
				id, err := m.planning.EmptyCommit(ctx, plan.Tip, text)
				return plan.Insert(at, id).Reword(at, app.CleanMessage(text)), err
			})
		}})
}

// sign changes an entry's author or date.
func (m *Model) sign() tea.Cmd {
	at := m.entry()
	e := m.plan.Next[at]
	writer := m.sourceOf(e.From[0]).Commit.SignedBy()
	author := e.Author
	if author == "" {
		author = fmt.Sprintf("%s <%s>", writer.Name, writer.Email)
	}
	options := []kit.Option{
		{Label: "Its author", Detail: safe.Line(author), Do: func() tea.Cmd {
			return kit.Show(kit.Edit{Title: "Author of entry " + shape.Letter(at) + ": Name <address>", OneLine: true, Text: author,
				Done: func(text string) tea.Cmd {
					return m.signAs(at, strings.TrimSpace(text), e.Date)
				}})
		}},
		{Label: "Its date", Detail: writer.When.Format(time.RFC3339), Do: func() tea.Cmd {
			return kit.Show(kit.Edit{Title: "Date of entry " + shape.Letter(at), OneLine: true, Text: writer.When.Format(time.RFC3339),
				Done: func(text string) tea.Cmd {
					when, err := time.Parse(time.RFC3339, strings.TrimSpace(text))
					if err != nil {
						return kit.Show(kit.Notice{Text: "Write the date as 2026-05-06T09:30:00+02:00.", Trouble: true})
					}
					date, err := shape.Date(when)
					if err != nil {
						return kit.Show(kit.Notice{Text: app.Explain(err), Trouble: true})
					}
					return m.signAs(at, e.Author, date)
				}})
		}},
		{Label: "Restore author and date", Do: func() tea.Cmd { return m.signAs(at, "", "") }},
	}
	for _, other := range m.coAuthors(e) {
		options = append(options, kit.Option{Label: "Add a trailer", Detail: safe.Line(other), Do: func() tea.Cmd {
			message := e.Message
			if message == "" {
				message = m.sourceOf(e.From[0]).Message
			}
			return m.set(m.plan.Reword(at, app.AddTrailer(message, other)))
		}})
	}
	return kit.Show(kit.Choose{Title: "Author and date of entry " + shape.Letter(at), Options: options})
}

// coAuthors are the trailers for those who wrote an entry's other sources.
func (m *Model) coAuthors(e shape.Entry) []string {
	first := m.sourceOf(e.From[0]).Commit.SignedBy()
	var lines []string
	for _, id := range e.From[1:] {
		by := m.sourceOf(id).Commit.SignedBy()
		line := fmt.Sprintf("Co-authored-by: %s <%s>", by.Name, by.Email)
		if by.Email != first.Email && !slices.Contains(lines, line) {
			lines = append(lines, line)
		}
	}
	return lines
}

func (m *Model) signAs(at int, author, date string) tea.Cmd {
	plan := m.plan.Sign(at, author, date)
	if err := plan.Check(); err != nil {
		return kit.Show(kit.Notice{Text: err.Error(), Trouble: true})
	}
	return m.set(plan)
}

// content lays an entry's exact content out in a scratch folder, to be changed in the
// editor or in a shell. What was changed joins the entry.
func (m *Model) content() tea.Cmd {
	at := m.entry()
	if m.forecast == nil || at >= len(m.forecast.Steps) || m.forecast.Steps[at].Commit.IsZero() {
		return kit.Say("The entry's content is not known before its forecast is clean.")
	}
	forecast, plan := m.forecast, m.plan
	open := func(shell bool) func() tea.Cmd {
		return func() tea.Cmd {
			return kit.Start(kit.Work[kit.Got]{
				Title: "Writing the content out",
				Do: func(ctx context.Context, _ func(string)) (kit.Got, error) {
					dir, err := os.MkdirTemp("", "bastel-entry-")
					if err != nil {
						return kit.Got{}, err
					}
					scratch, err := m.planning.LayOut(ctx, forecast, at, dir)
					return kit.ToScreen(Name, laidOut{at, plan, scratch, shell}), err
				},
			})
		}
	}
	return kit.Show(kit.Choose{Title: "Change what entry " + shape.Letter(at) + " holds, in a scratch folder", Options: []kit.Option{
		{Label: "in your editor", Detail: "It opens the folder.", Do: open(false)},
		{Label: "in a shell", Detail: "It starts in the folder; exit comes back.", Do: open(true)},
	}})
}

// laidOut is an entry's content in a scratch folder, to be changed there.
type laidOut struct {
	at      int
	plan    shape.Plan
	scratch planning.Scratch
	shell   bool
}

func (m *Model) contentChanged(at int, plan shape.Plan, scratch planning.Scratch) tea.Cmd {
	return m.make("Taking the content back", func(ctx context.Context) (shape.Plan, error) {
		defer os.RemoveAll(scratch.Dir)
		id, err := m.planning.TakeBack(ctx, scratch)
		if err != nil || id.IsZero() {
			return plan, err
		}
		return plan.Amend(at, id), nil
	})
}
