package resolving

import (
	"cmp"
	"context"
	"fmt"
	"slices"

	"bastel/internal/app"

	"bastel/internal/mend"
	"bastel/internal/merge"
	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/internal/shape"
)

// ConflictedStep is what waits to be mended in one go: the conflicts of one entry of a plan,
// or those that wait in the working tree.
type ConflictedStep struct {
	Title string    // what this is about
	Step  int       // place of the plan's entry
	First mend.Side // the side that is the user's own, shown first
	Files []ConflictedFile

	Uncertain bool // an entry before this one is open: its conflicts may yet be others

	Objects *repo.Overlay // where what met there can be read
}

// Mending is all that met in a plan, and the answers that are remembered.
type Mending struct {
	Steps  []ConflictedStep
	Memory map[mend.Key]mend.Resolution
}

// ConflictedFile is a conflict with the stories of its sides.
type ConflictedFile struct {
	mend.State
	Stories    []RegionHistory // by region; of a path without regions one
	MarkerSize int
	AtEnd      []byte // the text at the branch's end, of a plan
	BaseText   []byte
}

// RegionHistory say who is behind each side.
type RegionHistory struct{ Left, Right SideHistory }

// SideHistory is a side under what it is.
type SideHistory struct {
	Name    string       // "your commit 4", "origin/main", "the answers before"
	Commits []app.Source // the youngest last; none where no commit can be named
	Absent  string       // in words, where the side has no such file: whether it deleted it, or never had it
}

// What a side did that has no such file.
const (
	deletedIt = "deleted it"
	neverHad  = "never had it"
	hasNone   = "does not have it" // which of the two is not known
)

// absent asks the history of a side that has no such file whether it had it once.
func (a *App) absent(ctx context.Context, tip repo.ID, c merge.Conflict) (string, error) {
	if tip.IsZero() || c.Base.IsZero() {
		return hasNone, nil
	}
	touched, err := a.Repo.RevList(ctx, "--max-count=1", tip.String(), "--", ":(top,literal)"+cmp.Or(c.From, c.Path))
	if err != nil || len(touched) == 0 {
		return neverHad, err
	}
	return deletedIt, nil
}

// Open counts the questions that are open.
func (m ConflictedStep) Open() (n int) {
	for _, f := range m.Files {
		n += f.Open()
	}
	return n
}

// Mending lists what met in a plan, entry by entry. What comes after an entry that is open is not certain yet.
func (a *App) Mending(ctx context.Context, plan shape.Plan, f *replay.Forecast) (Mending, error) {
	memory, err := a.RememberedAnswers()
	found := Mending{Memory: memory}
	if err != nil {
		return found, err
	}
	rules := a.Repo.NewMergeRules()
	defer rules.Close()
	uncertain := false
	for at, step := range f.Steps {
		if len(step.PathConflicts) == 0 {
			continue
		}
		m := ConflictedStep{Title: fmt.Sprintf("entry %d of %d, %s", at+1, len(f.Steps), step.Title), Step: at, First: mend.Right,
			Uncertain: uncertain, Objects: f.Objects()}
		if step.Merge {
			m.First = mend.Left
		}
		for _, met := range step.PathConflicts {
			file, err := a.conflictedFile(ctx, plan, f, step, met, rules)
			if err != nil {
				return found, err
			}
			m.Files = append(m.Files, file)
		}
		found.Steps = append(found.Steps, m)
		uncertain = uncertain || step.Result == replay.Conflict
	}
	return found, nil
}

func (a *App) conflictedFile(ctx context.Context, plan shape.Plan, f *replay.Forecast, step replay.Step, met replay.PathConflict,
	rules *repo.MergeRules) (ConflictedFile, error) {
	file := ConflictedFile{State: met.State}
	rule, err := rules.Rule(ctx, met.Path)
	if err != nil {
		return file, err
	}
	file.MarkerSize = rule.MarkerSize
	right, err := a.story(ctx, a.nameOf(plan, step, met.Source), []repo.ID{met.Source})
	if err != nil {
		return file, err
	}
	right.Absent = deletedIt // its own change is held against what was before it
	absent := ""
	if met.Left.IsZero() && met.Chunks == nil {
		if absent, err = a.absentOnto(ctx, plan, met.Conflict); err != nil {
			return file, err
		}
	}
	for i := range max(1, len(met.Writers)) {
		against, name := met.Against, otherSide(plan, step)
		if i < len(met.Writers) {
			if against = met.Writers[i]; len(against) == 0 {
				name = plan.Branch + " up to here"
			}
		}
		left, err := a.story(ctx, name, against)
		if err != nil {
			return file, err
		}
		if left.Absent = absent; len(against) > 0 {
			left.Absent = deletedIt // by that commit
		}
		file.Stories = append(file.Stories, RegionHistory{left, right})
	}
	if met.Chunks == nil {
		return file, nil
	}
	return file, a.atEnd(ctx, f.Objects(), plan, met, &file)
}

// absentOnto asks the history that a plan's series comes onto.
func (a *App) absentOnto(ctx context.Context, plan shape.Plan, c merge.Conflict) (string, error) {
	onto := plan.Base
	if plan.Onto != "" {
		var err error
		if onto, err = a.CommitNamed(ctx, plan.Onto); err != nil {
			return "", err
		}
	}
	return a.absent(ctx, onto, c)
}

// nameOf says what a source is to the user.
func (a *App) nameOf(plan shape.Plan, step replay.Step, source repo.ID) string {
	of, part := plan.Origin(source)
	switch {
	case step.Merge:
		return "the branch merged in"
	case of.IsZero():
		return "the added commit"
	case part > 0:
		return fmt.Sprintf("your commit %d, part %d", slices.Index(plan.Sources, of)+1, part)
	}
	return fmt.Sprintf("your commit %d", slices.Index(plan.Sources, of)+1)
}

// otherSide names the series that a source came onto.
func otherSide(plan shape.Plan, step replay.Step) string {
	switch {
	case step.Merge:
		return plan.Branch
	case plan.Onto != "":
		return plan.OntoName()
	}
	return plan.Branch + " up to here"
}

func (a *App) story(ctx context.Context, name string, ids []repo.ID) (SideHistory, error) {
	commits, err := a.Sources(ctx, ids)
	return SideHistory{Name: name, Commits: commits}, err
}

// atEnd reads what suggestions need: the base's text, and that at the branch's end.
func (a *App) atEnd(ctx context.Context, objects *repo.Overlay, plan shape.Plan, met replay.PathConflict, file *ConflictedFile) error {
	tip, err := a.TreeOf(ctx, plan.Tip)
	if err != nil {
		return err
	}
	end, err := objects.Find(ctx, tip, met.Path)
	if err != nil {
		return err
	}
	if file.BaseText, err = objects.Blob(ctx, met.Base.ID); err != nil || !end.Mode.IsFile() {
		return err
	}
	file.AtEnd, err = objects.Blob(ctx, end.ID)
	return err
}

// Versions reads what each side has at a path without regions, as texts to be shown;
// ok is false for what is no text.
func (s ConflictedStep) Versions(ctx context.Context, c merge.Conflict) (texts map[mend.Side][]byte, err error) {
	texts = map[mend.Side][]byte{}
	for side, e := range map[mend.Side]repo.Entry{mend.Base: c.Base, mend.Left: c.Left, mend.Right: c.Right} {
		switch {
		case side == mend.Base && c.NoBase:
		case e.Mode == repo.ModeSubmodule:
			texts[side] = []byte("commit " + e.ID.String() + "\n")
		case e.Mode.IsFile() || e.Mode == repo.ModeSymlink:
			data, err := s.Objects.Blob(ctx, e.ID)
			if err != nil {
				return nil, err
			}
			texts[side] = data
		case e.Mode == repo.ModeTree:
			files, err := merge.Compare(ctx, s.Objects, repo.ID{}, e.ID)
			if err != nil {
				return nil, err
			}
			for _, f := range files {
				texts[side] = append(texts[side], c.Path+"/"+f.Path+"\n"...)
			}
		}
	}
	return texts, nil
}
