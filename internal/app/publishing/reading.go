package publishing

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"bastel/internal/app"

	"bastel/internal/repo"
	"bastel/internal/review"
	"bastel/internal/tray"
)

// mostRead is of how many changes it is kept that they were read.
const mostRead = 20000

// ReadThrough is the branch as its readers will see it, with what was read of it.
type ReadThrough struct {
	Leftovers tray.LinesOfHunks // by hunk: its lines that are hardly meant
	Branch    string
	Sources   []app.Source
	Series    []review.Commit // commit by commit
	Whole     review.Commit   // all of it as one difference
	Remarks   []review.Placed // of this branch
	Verdicts  []review.Verdict
	Record    review.Record
}

// ReadThrough reads the branch's own commits, and what was read of them.
func (a *App) ReadThrough(ctx context.Context) (ReadThrough, error) {
	plan, err := a.NewPlan(ctx, "", "")
	if err != nil {
		return ReadThrough{}, err
	}
	r := ReadThrough{Branch: plan.Branch}
	if r.Sources, err = a.Sources(ctx, plan.Sources); err != nil {
		return r, err
	}
	if r.Series, err = a.seriesOf(ctx, r.Sources); err != nil {
		return r, err
	}
	if r.Record, err = a.knownRecord(); err != nil {
		return r, err
	}
	if len(r.Sources) > 0 {
		before, err := a.TreeOf(ctx, r.Sources[0].Commit.Parent())
		if err != nil {
			return r, err
		}
		files, err := tray.Between(ctx, a.Repo.NewOverlay(), before, r.Sources[len(r.Sources)-1].Commit.Tree)
		if err != nil {
			return r, err
		}
		r.Whole = review.NewCommit(repo.ID{}, "", "", files)
	}
	var files []tray.File
	for _, c := range append(slices.Clone(r.Series), r.Whole) {
		files = append(files, c.Files...)
	}
	if r.Leftovers, err = a.LeftoverLines(ctx, files); err != nil {
		return r, err
	}
	r.place()
	return r, nil
}

// seriesOf reads what commits change, as a review sees them.
func (a *App) seriesOf(ctx context.Context, sources []app.Source) ([]review.Commit, error) {
	objects := a.Repo.NewOverlay()
	series := make([]review.Commit, len(sources))
	for i, s := range sources {
		before, err := a.TreeOf(ctx, s.Commit.Parent())
		if err != nil {
			return nil, err
		}
		files, err := tray.BetweenFollowed(ctx, objects, before, s.Commit.Tree)
		if err != nil {
			return nil, err
		}
		series[i] = review.NewCommit(s.ID, s.Commit.Author, s.Commit.Subject(), files)
	}
	return series, nil
}

// place finds where the remarks on the branch stand now.
func (r *ReadThrough) place() {
	for _, n := range r.Record.Remarks {
		if n.Branch != r.Branch {
			continue
		}
		placed := review.Placed{Remark: n}
		at, found := n.Find(r.Series)
		if placed.Place, placed.Gone = at, !found; found {
			placed.Now, placed.Subject = r.Sources[at.Commit].ID, r.Sources[at.Commit].Commit.Subject()
		}
		r.Remarks = append(r.Remarks, placed)
	}
	for _, v := range r.Record.Verdicts {
		if v.Branch == r.Branch {
			r.Verdicts = append(r.Verdicts, v)
		}
	}
}

// Tally counts the hunks of a commit, and those that were read.
func (r ReadThrough) Tally(commit int) (read, all int) {
	for _, keys := range r.Series[commit].Keys {
		for _, done := range r.Record.WasRead(keys) {
			all++
			if done {
				read++
			}
		}
	}
	return read, all
}

// Open counts the remarks that are not settled.
func (r ReadThrough) Open() (n int) {
	for _, remark := range r.Remarks {
		if !remark.Settled {
			n++
		}
	}
	return n
}

// knownRecord is the record; one that cannot be read is passed over, which opening tells.
func (a *App) knownRecord() (review.Record, error) {
	record, err := a.ReviewRecord()
	if errors.Is(err, app.ErrUnreadable) {
		return review.Record{}, nil
	}
	return record, err
}

// changeRecord changes the record as it is now, one change at a time.
func (a *App) changeRecord(change func(b *review.Record) error) error {
	a.ReviewLock.Lock()
	defer a.ReviewLock.Unlock()
	record, err := a.ReviewRecord()
	if errors.Is(err, app.ErrUnreadable) {
		path, pathErr := a.ReviewPath()
		record, err = review.Record{}, errors.Join(pathErr, app.SetAside(path))
	}
	if err != nil {
		return err
	}
	if err := change(&record); err != nil {
		return err
	}
	record.Trim(mostRead)
	text, err := record.Encode()
	if err != nil {
		return fmt.Errorf("write what was read: %w", err)
	}
	path, err := a.ReviewPath()
	if err != nil {
		return err
	}
	return app.ReplaceFile(path, string(text))
}

// TickRead notes of hunks of commits, by their ids, that they were read, or that they were
// not.
func (a *App) TickRead(commits []review.Commit, hunks map[string]bool) error {
	when := time.Now().Truncate(time.Second)
	return a.changeRecord(func(b *review.Record) error {
		for _, c := range commits {
			for i, f := range c.Files {
				b.Tick(f, c.Keys[i], hunks, when)
			}
		}
		return nil
	})
}

// TickCommits does so for all that commits change.
func (a *App) TickCommits(ctx context.Context, names []string, read bool) (hunks int, err error) {
	for _, name := range names {
		id, err := a.CommitNamed(ctx, name)
		if err != nil {
			return 0, err
		}
		files, err := a.CommitChanges(ctx, id)
		if err != nil {
			return 0, err
		}
		all := map[string]bool{}
		for _, id := range tray.IDs(files) {
			all[id] = read
		}
		hunks += len(all)
		if err := a.TickRead([]review.Commit{review.NewCommit(id, "", "", files)}, all); err != nil {
			return 0, err
		}
	}
	return hunks, nil
}

// AddRemark keeps a remark, and gives its number.
func (a *App) AddRemark(branch string, anchor review.Anchor, text string) (number int, err error) {
	if text = strings.TrimSpace(text); text == "" {
		return 0, app.Refuse("A remark needs a text.")
	}
	return number, a.changeRecord(func(b *review.Record) error {
		number = b.Add(review.Remark{Branch: branch, Anchor: anchor, Text: text, When: time.Now().Truncate(time.Second)})
		return nil
	})
}

// RemarkOn keeps a remark on a line of a commit, by its number there, or with no path on the
// commit as a whole.
func (a *App) RemarkOn(ctx context.Context, commit, path string, line int, text string) (int, error) {
	id, err := a.CommitNamed(ctx, commit)
	if err != nil {
		return 0, err
	}
	head, err := a.BranchAtWork(ctx)
	if err != nil {
		return 0, err
	}
	sources, err := a.Sources(ctx, []repo.ID{id})
	if err != nil {
		return 0, err
	}
	series, err := a.seriesOf(ctx, sources)
	if err != nil {
		return 0, err
	}
	at := review.Place{File: -1, Hunk: -1, Line: -1}
	if path != "" {
		var found bool
		if at, found = review.LineOf(series[0].Files, path, "+", line); !found {
			return 0, app.Refuse("%s does not show line %d of %s: a remark stands on a line that the commit changes, or one next to it.",
				id.Short(), line, path)
		}
	}
	return a.AddRemark(head.Branch(), review.AnchorOf(series[0], at), text)
}

// CloseRemark says of a remark that it is done, or open again.
func (a *App) CloseRemark(number int, settled bool) error {
	return a.changeRemark(number, func(n *review.Remark) { n.Settled = settled })
}

// RewordRemark gives a remark another text.
func (a *App) RewordRemark(number int, text string) error {
	return a.changeRemark(number, func(n *review.Remark) { n.Text = strings.TrimSpace(text) })
}

func (a *App) changeRemark(number int, change func(n *review.Remark)) error {
	return a.changeRecord(func(b *review.Record) error {
		n := b.Remark(number)
		if n == nil {
			return app.Refuse("There is no remark %d. bastel remarks lists them.", number)
		}
		change(n)
		return nil
	})
}

// DropRemark takes a remark away.
func (a *App) DropRemark(number int) error {
	return a.changeRecord(func(b *review.Record) error {
		if b.Remark(number) == nil {
			return app.Refuse("There is no remark %d. bastel remarks lists them.", number)
		}
		b.Drop(number)
		return nil
	})
}
