package app

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"bastel/internal/diff"
	"bastel/internal/journal"
	"bastel/internal/merge"
	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/internal/shape"
	"bastel/internal/sweep"
	"bastel/internal/tray"
)

// Finding is a leftover: an added line that fits one of the patterns.
type Finding struct {
	Path   string
	Line   int // counted from 1, in the file as it is then
	Text   string
	Commit repo.ID // the commit that brought it in; zero: it is loose
}

// Leftovers finds those in loose changes. The words name them as Discard reads them.
func (a *App) Leftovers(ctx context.Context, files []tray.File) (findings []Finding, words []string, err error) {
	finder, err := a.finder(ctx)
	if err != nil {
		return nil, nil, err
	}
	for _, f := range files {
		is := finder.In(f.Path)
		if is == nil {
			continue
		}
		for _, h := range f.Hunks {
			lines := map[int]bool{}
			for i, line := range h.Lines {
				if line.Op == diff.Add && is(line.Text) {
					lines[i] = true
					findings = append(findings, Finding{Path: f.Path, Line: line.New + 1, Text: textOf(line.Text)})
				}
			}
			if len(lines) > 0 {
				words = append(words, tray.LineWord(h.ID, lines))
			}
		}
	}
	return findings, words, nil
}

// LeftoverLines marks those in any files, by hunk the places of its lines. With wrong settings, which opening has told of,
// none are known.
func (a *App) LeftoverLines(ctx context.Context, files []tray.File) (map[string]map[int]bool, error) {
	_, words, err := a.Leftovers(ctx, files)
	if errors.As(err, new(*Refusal)) {
		return nil, nil
	}
	lines := map[string]map[int]bool{}
	for _, word := range words {
		id, places, parseErr := tray.ParseWord(word)
		err = errors.Join(err, parseErr)
		lines[id] = places
	}
	return lines, err
}

func textOf(line []byte) string { return strings.TrimSpace(string(line)) }

// Sweep takes the leftovers out of the loose changes, as one discard. With dry only
// the findings come.
func (a *App) Sweep(ctx context.Context, dry bool) ([]Finding, error) {
	board, err := a.Look(ctx)
	if err != nil {
		return nil, err
	}
	findings, words, err := a.Leftovers(ctx, board.Loose)
	if err != nil || dry || len(words) == 0 {
		return findings, err
	}
	_, err = a.Discard(ctx, Carry{Words: words, View: tray.Plain})
	return findings, err
}

// Swept is what a sweep of the branch found, and what it makes.
type Swept struct {
	Findings []Finding
	Emptied  []string // subjects of commits of which nothing is left
	Forecast *replay.Forecast
	Applied  Applied
}

// SweepBranch takes the leftovers out of each commit of the branch that brought some
// in: later ones follow. With dry nothing is changed.
func (a *App) SweepBranch(ctx context.Context, dry bool) (Swept, error) {
	if !dry {
		if err := a.free(); err != nil {
			return Swept{}, err
		}
	}
	finder, err := a.finder(ctx)
	if err != nil {
		return Swept{}, err
	}
	head, sources, err := a.ownRange(ctx)
	if err != nil || len(sources) == 0 {
		return Swept{}, err
	}
	engine := replay.New(a.Repo)
	base, err := a.treeOf(ctx, sources[0].Commit.Parent())
	if err != nil {
		return Swept{}, err
	}
	run := sweeping{ctx: ctx, objects: engine.Objects(), finder: finder, base: base}
	var swept Swept
	var ids, trees []repo.ID
	before := base
	for _, s := range sources {
		found, err := run.findings(before, s)
		if err != nil {
			return swept, err
		}
		swept.Findings = append(swept.Findings, found...)
		tree, err := run.tree(s.Commit.Tree)
		if err != nil {
			return swept, err
		}
		ids, trees = append(ids, s.ID), append(trees, tree)
		before = s.Commit.Tree
	}
	if len(swept.Findings) == 0 {
		return swept, nil
	}
	committer, err := a.Repo.Committer(ctx)
	if err != nil {
		return swept, err
	}
	if swept.Forecast, err = engine.Retree(ctx, sources[0].Commit.Parent(), ids, trees, committer); err != nil {
		return swept, err
	}
	if err := a.keepsSignatures(ctx, swept.Forecast); err != nil {
		return swept, err
	}
	for _, step := range swept.Forecast.Steps {
		if step.Result == replay.Empty {
			swept.Emptied = append(swept.Emptied, step.Title)
		}
	}
	if dry {
		return swept, nil
	}
	return swept, a.applySweep(ctx, head, rangePlan(head, sources), engine, &swept)
}

func (a *App) applySweep(ctx context.Context, head repo.Head, plan shape.Plan, engine *replay.Engine, swept *Swept) error {
	f := swept.Forecast
	if f.Tip.IsZero() {
		return refuse("Nothing would be left of the branch. Nothing was changed.")
	}
	if err := a.sign(ctx, engine, f, nil); err != nil {
		return err
	}
	entry := journal.Entry{Kind: journal.Apply, Ref: head.Ref, Old: head.Commit, New: f.Tip,
		Title: Count(len(swept.Findings), "leftover") + " swept", Pairs: f.Pairs()}
	var err error
	carried := 0
	if entry.Others, carried, err = a.along(ctx, plan, f, engine, OwnOnly); err != nil {
		return err
	}
	op, err := a.move(ctx, entry, "sweep: "+entry.Title, f.Tree, engine)
	if err != nil {
		return err
	}
	op.hooks = func(ctx context.Context) error { return a.Repo.RunPostRewrite(ctx, "rebase", f.Pairs()) }
	warning, err := a.carryOut(ctx, op)
	if err != nil {
		return err
	}
	swept.Applied = Applied{Old: head.Commit, New: f.Tip, Commits: len(f.Steps) - len(swept.Emptied), Signatures: f.Signatures, Carried: carried, Warning: warning}
	return nil
}

// sweeping is the state of a sweep over a branch's commits.
type sweeping struct {
	ctx     context.Context
	objects *repo.Overlay
	finder  *sweep.Finder
	base    repo.ID // the tree that the branch starts from
}

// added gives the lines of a file that two trees differ in and that came with the
// second one. Lines of files that are gone do not count: they may have been renamed.
func (s *sweeping) added(d merge.Difference, gone map[string]bool) (lines [][]byte, leftover map[int]bool, err error) {
	is := s.finder.In(d.Path)
	if is == nil || !d.New.Mode.IsFile() {
		return nil, nil, nil
	}
	old := []byte(nil)
	if d.Old.Mode.IsFile() {
		if old, err = s.objects.Blob(s.ctx, d.Old.ID); err != nil {
			return nil, nil, err
		}
	}
	new, err := s.objects.Blob(s.ctx, d.New.ID)
	if err != nil || merge.IsBinary(new) || merge.IsBinary(old) || len(new) > repo.LargeFile {
		return nil, nil, err
	}
	lines = diff.Split(new)
	leftover = map[int]bool{}
	for _, c := range diff.Lines(diff.Split(old), lines) {
		for i := c.NewStart; i < c.NewEnd; i++ {
			if is(lines[i]) && !gone[string(lines[i])] {
				leftover[i] = true
			}
		}
	}
	return lines, leftover, nil
}

// compare lists the differences of two trees, and the lines of files that are gone.
func (s *sweeping) compare(old, new repo.ID) ([]merge.Difference, map[string]bool, error) {
	differences, err := merge.Compare(s.ctx, s.objects, old, new)
	if err != nil {
		return nil, nil, err
	}
	gone := map[string]bool{}
	for _, d := range differences {
		if d.Old.Mode.IsFile() && d.New.IsZero() {
			data, err := s.objects.Blob(s.ctx, d.Old.ID)
			if err != nil {
				return nil, nil, err
			}
			for _, line := range diff.Split(data) {
				gone[string(line)] = true
			}
		}
	}
	return differences, gone, nil
}

func (s *sweeping) findings(before repo.ID, source Source) ([]Finding, error) {
	differences, gone, err := s.compare(before, source.Commit.Tree)
	if err != nil {
		return nil, err
	}
	var found []Finding
	for _, d := range differences {
		lines, leftover, err := s.added(d, gone)
		if err != nil {
			return nil, err
		}
		for _, i := range slices.Sorted(maps.Keys(leftover)) {
			found = append(found, Finding{d.Path, i + 1, textOf(lines[i]), source.ID})
		}
	}
	return found, nil
}

// tree is a commit's tree without the leftovers that the branch brought in up to it.
func (s *sweeping) tree(of repo.ID) (repo.ID, error) {
	differences, gone, err := s.compare(s.base, of)
	if err != nil {
		return repo.ID{}, err
	}
	var entries []repo.IndexEntry
	for _, d := range differences {
		lines, leftover, err := s.added(d, gone)
		if err != nil {
			return repo.ID{}, err
		}
		if len(leftover) == 0 {
			continue
		}
		var kept bytes.Buffer
		for i, line := range lines {
			if !leftover[i] {
				kept.Write(line)
			}
		}
		entries = append(entries, repo.IndexEntry{Path: d.Path, Mode: d.New.Mode, ID: s.objects.Put(repo.KindBlob, kept.Bytes())})
	}
	if len(entries) == 0 {
		return of, nil
	}
	tree, err := s.objects.EditTree(s.ctx, of, entries)
	if err != nil {
		return tree, fmt.Errorf("sweep %s: %w", of.Short(), err)
	}
	return tree, nil
}
