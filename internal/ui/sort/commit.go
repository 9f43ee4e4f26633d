package sort

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/app/sorting"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/tray"
	"bastel/internal/ui/kit"
	"bastel/internal/wording"
)

func (m *Model) commit(drafts []sorting.Draft) tea.Cmd {
	for _, d := range drafts {
		if app.CleanMessage(d.Message) == "" {
			m.half = kit.Next
			m.chooseTray(d.Tray)
			return m.editMessage()
		}
	}
	if m.work.Ref != m.head.Ref {
		return kit.Show(kit.Ask{Question: fmt.Sprintf("%s is checked out, and %s is at work. y commits to %s.", safe.Line(m.head.Branch()),
			safe.Line(m.work.Branch()), safe.Line(m.head.Branch())), Key: "y", Yes: m.commitDrafts(drafts)})
	}
	return m.commitDrafts(drafts)
}

// commit makes commits from drafts. What has no message yet gets one first.
func (m *Model) commitDrafts(drafts []sorting.Draft) tea.Cmd {
	return kit.Start(kit.Work[kit.Got]{
		Title: "Making the " + wording.Noun(len(drafts), "commit"),
		Do: func(ctx context.Context, _ func(string)) (kit.Got, error) {
			made, err := m.sorting.CommitTrays(ctx, drafts)
			if errors.Is(err, app.ErrMarkers) {
				meant := slices.Clone(drafts)
				for i := range meant {
					meant[i].Meant = true
				}
				return kit.Got{Msg: kit.AskMeant(app.QuestionOf(err), m.commitDrafts(meant))}, nil
			}
			if err != nil {
				return kit.Got{}, err
			}
			return kit.Got{Note: committedNote(made, drafts[0].Message)}, nil
		},
	})
}

func committedNote(made app.Made, message string) string {
	note := fmt.Sprintf("Made commit %s, %s. u undoes it.", made.Commits[0].Short(), repo.Subject(message))
	if n := len(made.Commits); n > 1 {
		note = fmt.Sprintf("Made %d commits, up to %s. u undoes all of them.", n, made.Commits[n-1].Short())
	}
	if made.Warning != "" {
		note += " But " + made.Warning
	}
	return note
}

// amend asks what of the last commit shall change.
func (m *Model) amend() tea.Cmd {
	staged := slices.ContainsFunc(m.board.Trays, func(t tray.Tray) bool { return t.Layer == tray.A && len(t.Files) > 0 })
	choose := kit.Choose{Title: "Amend the last commit"}
	if len(m.texts.Value.Earlier) > 0 {
		choose.Title = "Amend the last commit: " + safe.Line(repo.Subject(m.texts.Value.Earlier[0]))
	}
	if staged {
		choose.Options = append(choose.Options, kit.Option{Key: "a", Label: "Add tray A to it", Detail: "The message stays.", Do: func() tea.Cmd {
			return m.amendWith(sorting.Amendment{Content: true})
		}})
	}
	choose.Options = append(choose.Options,
		kit.Option{Key: "m", Label: "Its message", Detail: "Its content stays.", Do: m.amendMessage},
		kit.Option{Key: "@", Label: "Its author", Detail: "Written as Name <address>; the date stays.", Do: m.amendAuthor})
	return kit.Show(choose)
}

func (m *Model) amendMessage() tea.Cmd {
	help := m.texts.Value
	text := ""
	if len(help.Earlier) > 0 {
		text = help.Earlier[0]
	}
	return kit.Show(kit.Edit{Title: "Message of the last commit", Text: text, Message: &help, Suffix: "COMMIT_EDITMSG",
		From:  []string{"commit", m.head.Commit.String()},
		About: kit.AboutCommit(m.app, "the last commit", m.head.Commit),
		Done: func(text string) tea.Cmd {
			return m.amendWith(sorting.Amendment{Message: text})
		}})
}

func (m *Model) amendAuthor() tea.Cmd {
	return kit.Show(kit.Edit{Title: "Author of the last commit: Name <address>", OneLine: true, Done: func(text string) tea.Cmd {
		return m.amendWith(sorting.Amendment{Author: strings.TrimSpace(text)})
	}})
}

// amendWith amends; what a remote has already only after asking.
func (m *Model) amendWith(am sorting.Amendment) tea.Cmd {
	at := m.head.Commit
	return kit.Seek(m.ctx, "who has the last commit", func(ctx context.Context) tea.Msg {
		names, err := m.app.Repo.RemotesWith(ctx, at)
		switch {
		case err != nil:
			return kit.Notice{Text: err.Error(), Trouble: true}
		case len(names) == 0:
			return m.amendNow(am)()
		}
		am.Published = true
		return kit.Ask{Question: fmt.Sprintf("%s has this commit already; whoever builds on it would get it twice. y amends it all the same.",
			strings.Join(names, ", ")), Key: "y", Yes: m.amendNow(am)}
	})
}

func (m *Model) amendNow(am sorting.Amendment) tea.Cmd {
	return kit.Start(kit.Work[kit.Got]{Title: "Amending", Do: func(ctx context.Context, _ func(string)) (kit.Got, error) {
		made, err := m.sorting.Amend(ctx, am)
		if errors.Is(err, app.ErrMarkers) {
			am.Meant = true
			return kit.Got{Msg: kit.AskMeant(app.QuestionOf(err), m.amendNow(am))}, nil
		}
		if err != nil {
			return kit.Got{}, err
		}
		note := "Amended: it is " + made.Commits[0].Short() + " now. u undoes it."
		if made.Warning != "" {
			note += " But " + made.Warning
		}
		return kit.Got{Note: note}, nil
	}})
}
