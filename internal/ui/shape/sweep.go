package shape

import (
	"context"
	"fmt"
	"strings"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app/sorting"
	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/ui/kit"
	"bastel/internal/wording"
)

// sweep looks for leftovers in every commit of the branch, shows them, and takes them
// out if the user says so.
func (m *Model) sweep() tea.Cmd {
	if m.plan.Changes() {
		return kit.Say("The plan has edits. Apply them, or start over with z, before you sweep: a sweep rewrites the branch by itself.")
	}
	return kit.Start(kit.Work[kit.Got]{
		Title: "Looking for leftovers",
		Do: func(ctx context.Context, _ func(string)) (kit.Got, error) {
			swept, err := m.sorting.SweepBranch(ctx, true)
			if err != nil || len(swept.Findings) == 0 {
				return kit.Got{Note: "No commit of the branch has leftovers."}, err
			}
			return kit.Got{Msg: m.offerSweep(swept)}, nil
		},
	})
}

func (m *Model) offerSweep(swept sorting.Swept) kit.Choose {
	commits := map[string]bool{}
	for _, f := range swept.Findings {
		commits[f.Commit.String()] = true
	}
	detail := "The commits stay, and later ones follow."
	if len(swept.Emptied) > 0 {
		detail = "Nothing is left of: " + safe.Line(strings.Join(swept.Emptied, ", "))
	}
	choose := kit.Choose{Title: "Leftovers in the branch's commits", Options: []kit.Option{{
		Key: "enter", Label: fmt.Sprintf("Remove %s from %s", wording.Count(len(swept.Findings), "line"), wording.Count(len(commits), "commit")),
		Detail: detail, Do: m.applySweep, Look: afterSweep(swept, repo.ID{}),
	}}}
	for _, f := range swept.Findings {
		choose.Options = append(choose.Options, kit.Option{Key: f.Commit.Short(), Label: kit.Expand(safe.Line(f.Text)),
			Detail: fmt.Sprintf("%s:%d", safe.Line(f.Path), f.Line), Look: afterSweep(swept, f.Commit)})
	}
	return choose
}

// afterSweep lists the commits as they will be, with how many lines go from each. The one that a line was found in is pointed at.
func afterSweep(swept sorting.Swept, at repo.ID) func(context.Context) (string, error) {
	lines := map[repo.ID]int{}
	for _, f := range swept.Findings {
		lines[f.Commit]++
	}
	var text strings.Builder
	for i, step := range swept.Forecast.Steps {
		id, mark, note := step.From[0], " ", ""
		if id == at {
			mark = "▸"
		}
		switch n := lines[id]; {
		case step.Result == replay.Empty:
			note = "   goes: nothing is left of it"
		case n > 0:
			note = "   without " + wording.Count(n, "line")
		}
		fmt.Fprintf(&text, "%s %2d  %s%s\n", mark, i+1, safe.Line(step.Title), note)
	}
	return func(context.Context) (string, error) { return strings.TrimRight(text.String(), "\n"), nil }
}

func (m *Model) applySweep() tea.Cmd {
	return kit.Start(kit.Work[string]{
		Title: "Sweeping",
		Do: func(ctx context.Context, _ func(string)) (string, error) {
			swept, err := m.sorting.SweepBranch(ctx, false)
			if err != nil {
				return "", err
			}
			return fmt.Sprintf("Removed %s.%s u brings them back.", wording.Count(len(swept.Findings), "leftover"), swept.Applied.Remarks()), nil
		},
	})
}
