package planning

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/app"
	"bastel/internal/journal"
	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/internal/shape"
	"bastel/internal/wording"
)

// Gone is a commit of somebody else's that a plan makes go.
type Gone struct {
	app.Source
	How string // left out, emptied by an answer, or joined to one of somebody else
}

// OthersGone lists the commits of others that would not come out of a plan under their own name: left out, emptied by answers, or joined to
// a commit that names them neither as its author nor in its message as a co-author.
func (a *App) OthersGone(ctx context.Context, plan shape.Plan, f *replay.Forecast) ([]Gone, error) {
	sources, err := a.Sources(ctx, plan.Sources)
	if err != nil {
		return nil, err
	}
	mine, by := a.IsMine(ctx), map[repo.ID]app.Source{}
	for _, s := range sources {
		by[s.ID] = s
	}
	var gone []Gone
	add := func(id repo.ID, how string) {
		if s, is := by[id]; is && !mine(s) && !slices.ContainsFunc(gone, func(g Gone) bool { return g.ID == id }) {
			gone = append(gone, Gone{s, how})
		}
	}
	for _, id := range plan.LeftOut {
		source, _ := plan.Origin(id)
		if source == id {
			add(id, "left out")
		}
	}
	for _, step := range f.Emptied() {
		for _, id := range step.Sources {
			add(id, "emptied by an answer")
		}
	}
	for _, step := range f.Steps {
		if step.Commit.IsZero() || step.Kept || len(step.Sources) < 2 {
			continue
		}
		made, err := commitIn(ctx, f.Objects(), step.Commit)
		if err != nil {
			return nil, err
		}
		for _, id := range step.Sources {
			if !credits(made, by[id].Commit) {
				add(id, "joined to a commit of "+made.Writer().Name)
			}
		}
	}
	return gone, nil
}

// credits says whether a commit names the author of another one.
func credits(made, source *repo.Commit) bool {
	if source == nil || strings.EqualFold(made.Writer().Email, source.Writer().Email) {
		return true
	}
	for line := range strings.Lines(made.Text(made.Message)) {
		key, value, _ := strings.Cut(line, ":")
		if strings.EqualFold(strings.TrimSpace(key), "Co-authored-by") &&
			strings.Contains(strings.ToLower(value), "<"+strings.ToLower(source.Writer().Email)+">") {
			return true
		}
	}
	return false
}

// guardOthers refuses what makes somebody else's work go, by name, without consent. It gives what is taken
// back. Errors: app.ErrOthers.
func (a *App) guardOthers(ctx context.Context, plan shape.Plan, f *replay.Forecast, consent app.Consent) ([]journal.LostWork, error) {
	taken, err := a.TakesBack(ctx, plan, f)
	if err != nil || consent&app.Others != 0 {
		return taken, err
	}
	gone, err := a.OthersGone(ctx, plan, f)
	if err != nil {
		return nil, err
	}
	question := OthersSay(gone, taken)
	if question == "" {
		return taken, nil
	}
	const way = " Nothing was changed. If that is meant, confirm it: bastel apply --others."
	return nil, &app.Refusal{Question: question, Reason: question + way, Err: app.ErrOthers}
}

// OthersSay names what of others goes; empty: nothing does.
func OthersSay(gone []Gone, taken []journal.LostWork) string {
	var sentences []string
	if len(gone) > 0 {
		var names []string
		for i, g := range gone {
			if i == mostNamedLosses {
				names = append(names, fmt.Sprintf("%d more", len(gone)-i))
				break
			}
			names = append(names, fmt.Sprintf("%s %q of %s, %s", g.ID.Short(), g.Commit.Subject(), g.Commit.Writer().Name, g.How))
		}
		sentences = append(sentences, wording.Count(len(gone), "commit")+" of others would go: "+strings.Join(names, "; ")+".")
	}
	theirs := slices.DeleteFunc(slices.Clone(taken), func(t journal.LostWork) bool { return t.Mine })
	if len(theirs) > 0 {
		sentences = append(sentences, "The answers take back what others wrote: "+TakenBackSays(theirs)+".")
	}
	return strings.Join(sentences, " ")
}
