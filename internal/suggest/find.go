package suggest

import (
	"fmt"
	"slices"
	"strings"

	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/internal/shape"
)

// Kind says what a suggestion rests on.
type Kind string

// The kinds.
const (
	Marked Kind = "marked"      // the subject says so: fixup!, squash!, amend!
	Rework Kind = "same_lines"  // a commit changes only lines that an earlier one of the branch wrote
	Revert Kind = "revert"      // a commit takes an earlier one back
	Once   Kind = "answer_once" // several conflict with the same change on the target
)

// Suggestion is a change to the plan that could be made.
type Suggestion struct {
	Kind    Kind
	Title   string
	Commits []repo.ID
	Plan    shape.Plan // as it would be
}

// Find suggests changes to a plan, from the branch's matrix and, if there is one, the
// plan's forecast.
func Find(m Matrix, plan shape.Plan, forecast *replay.Forecast) []Suggestion {
	f := finder{Matrix: m, plan: plan}
	f.marked()
	f.reverts()
	f.rework()
	if forecast != nil {
		f.once(forecast)
	}
	return f.found
}

type finder struct {
	Matrix
	plan  shape.Plan
	found []Suggestion
	spent map[repo.ID]bool // commits that a suggestion is about already
}

func (f *finder) add(kind Kind, title string, plan shape.Plan, commits ...repo.ID) {
	if plan.Equal(f.plan) {
		return
	}
	if f.spent == nil {
		f.spent = map[repo.ID]bool{}
	}
	f.spent[commits[len(commits)-1]] = true
	f.found = append(f.found, Suggestion{kind, title, commits, plan})
}

// joined takes pieces into the entry of another one, in their order.
func joined(plan shape.Plan, into repo.ID, pieces ...repo.ID) (shape.Plan, bool) {
	for _, id := range pieces {
		to, from := plan.Place(into), plan.Place(id)
		if to < 0 || from < 0 {
			return plan, false
		}
		if to == from {
			continue
		}
		if from < to {
			return plan, false
		}
		plan = plan.Join(to, from)
	}
	return plan, true
}

// markers are the trade's words in front of the subject of the commit that is meant.
var markers = []string{"fixup! ", "squash! ", "amend! "}

func (f *finder) marked() {
	for n, c := range f.Commits {
		subject := repo.Subject(c.Message)
		for _, marker := range markers {
			wanted, ok := strings.CutPrefix(subject, marker)
			if !ok {
				continue
			}
			for _, again := range markers { // a fixup of a fixup
				for strings.HasPrefix(wanted, again) {
					wanted = strings.TrimPrefix(wanted, again)
				}
			}
			into := f.meant(wanted, n)
			if into < 0 {
				continue
			}
			target := f.Commits[into]
			plan, ok := joined(f.plan, target.ID, c.ID)
			if !ok {
				continue
			}
			if at := plan.Place(target.ID); marker != "fixup! " && !plan.Equal(f.plan) {
				plan = plan.Reword(at, messageOf(marker, target.Message, c.Message))
			}
			f.add(Marked, fmt.Sprintf("Join %d into %d, %s: its subject says %s", n+1, into+1, repo.Subject(target.Message),
				strings.TrimSpace(marker)), plan, target.ID, c.ID)
		}
	}
}

// meant finds the last commit before another one with a subject, or else an id that
// begins so.
func (f *finder) meant(wanted string, before int) int {
	for n := before - 1; n >= 0; n-- {
		if repo.Subject(f.Commits[n].Message) == wanted {
			return n
		}
	}
	for n := before - 1; n >= 0; n-- {
		if len(wanted) >= 7 && strings.HasPrefix(f.Commits[n].ID.String(), wanted) {
			return n
		}
	}
	return -1
}

// messageOf is the message that comes of a squash, which adds its body, or of an
// amend, whose body is the new message.
func messageOf(marker, target, own string) string {
	_, body, _ := strings.Cut(own, "\n")
	body = strings.TrimSpace(body)
	switch {
	case body == "":
		return ""
	case marker == "amend! ":
		return body + "\n"
	}
	return strings.TrimRight(target, "\n") + "\n\n" + body + "\n"
}

// reverts finds commits that say that they take an earlier one back, or that do so.
func (f *finder) reverts() {
	for n, c := range f.Commits {
		older := -1
		for i := range n {
			says := strings.Contains(c.Message, "This reverts commit "+f.Commits[i].ID.String())
			does := i == n-1 && f.Commits[i].Before == c.Tree && c.Before == f.Commits[i].Tree && c.Tree != c.Before
			if says || does {
				older = i
			}
		}
		if older < 0 {
			continue
		}
		first := f.Commits[older]
		plan, to, from := f.plan, f.plan.Place(first.ID), f.plan.Place(c.ID)
		if to < 0 || from < 0 || len(plan.Next[to].From) > 1 || len(plan.Next[from].From) > 1 {
			continue
		}
		plan = plan.LeaveOut(from)
		plan = plan.LeaveOut(plan.Place(first.ID))
		f.add(Revert, fmt.Sprintf("Leave %d, %s, and %d, which undoes it, out", older+1, repo.Subject(first.Message), n+1), plan, first.ID, c.ID)
	}
}

// rework finds commits all of whose changes are about lines that one earlier commit of
// the branch wrote.
func (f *finder) rework() {
	files := make([]int, len(f.Commits))
	for _, row := range f.Rows {
		for _, cell := range row.Cells {
			files[cell.Commit]++
		}
	}
	for n, c := range f.Commits {
		if f.spent[c.ID] || files[n] == 0 {
			continue
		}
		for older := n - 1; older >= 0; older-- {
			overlaps := f.Of(older, n)
			inside := len(overlaps) == files[n] && !slices.ContainsFunc(overlaps, func(o Overlap) bool { return !o.Within })
			if !inside {
				continue
			}
			target := f.Commits[older]
			plan, ok := joined(f.plan, target.ID, c.ID)
			if ok {
				f.add(Rework, fmt.Sprintf("Join %d, %s, into %d, %s: it only changes what that one wrote", n+1, repo.Subject(c.Message), older+1,
					repo.Subject(target.Message)), plan, target.ID, c.ID)
			}
			break
		}
	}
}

// once finds entries that conflict with the same change on the target: joined first,
// they ask once.
func (f *finder) once(forecast *replay.Forecast) {
	groups := map[repo.ID][]int{}
	var order []repo.ID
	for i, step := range forecast.Steps {
		if step.Result != replay.Conflict || len(step.Against) == 0 || i >= len(f.plan.Next) {
			continue
		}
		with := step.Against[len(step.Against)-1]
		if groups[with] == nil {
			order = append(order, with)
		}
		groups[with] = append(groups[with], i)
	}
	for _, with := range order {
		places := groups[with]
		if len(places) < 2 {
			continue
		}
		var ids []repo.ID
		for _, at := range places {
			ids = append(ids, f.plan.Next[at].From...)
		}
		f.add(Once, fmt.Sprintf("Join %d entries that conflict with the same change, %s, and answer once", len(places), with.Short()),
			f.plan.Join(places...), ids...)
	}
}
