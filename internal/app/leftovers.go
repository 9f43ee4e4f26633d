package app

import (
	"bytes"
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"bastel/internal/diff"
	"bastel/internal/merge"
	"bastel/internal/repo"
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

// Leftovers finds those in loose changes.
func (a *App) Leftovers(ctx context.Context, files []tray.File) (findings []Finding, selected []tray.Selection, err error) {
	finder, err := a.LeftoverFinder(ctx)
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
				selected = append(selected, tray.Selection{Hunk: h.ID, Lines: lines})
			}
		}
	}
	return findings, selected, nil
}

// LeftoverLines marks those in any files, by hunk the places of its lines.
func (a *App) LeftoverLines(ctx context.Context, files []tray.File) (tray.LinesOfHunks, error) {
	_, selected, err := a.Leftovers(ctx, files)
	lines := tray.LinesOfHunks{}
	for _, s := range selected {
		lines[s.Hunk] = s.Lines
	}
	return lines, err
}

func textOf(line []byte) string { return strings.TrimSpace(string(line)) }

// LeftoverSearch is the state of a sweep over a branch's commits.
type LeftoverSearch struct {
	Ctx     context.Context
	Objects *repo.Overlay
	Finder  *sweep.Finder
	Base    repo.ID // the tree that the branch starts from
}

// added gives the lines of a file that two trees differ in and that came with the
// second one. Lines of files that are gone do not count: they may have been renamed.
func (s *LeftoverSearch) added(d merge.Difference, gone map[string]bool) (lines [][]byte, leftover map[int]bool, err error) {
	is := s.Finder.In(d.Path)
	if is == nil || !d.New.Mode.IsFile() {
		return nil, nil, nil
	}
	old := []byte(nil)
	if d.Old.Mode.IsFile() {
		if old, err = s.Objects.Blob(s.Ctx, d.Old.ID); err != nil {
			return nil, nil, err
		}
	}
	new, err := s.Objects.Blob(s.Ctx, d.New.ID)
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
func (s *LeftoverSearch) compare(old, new repo.ID) ([]merge.Difference, map[string]bool, error) {
	differences, err := merge.Compare(s.Ctx, s.Objects, old, new)
	if err != nil {
		return nil, nil, err
	}
	gone := map[string]bool{}
	for _, d := range differences {
		if d.Old.Mode.IsFile() && d.New.IsZero() {
			data, err := s.Objects.Blob(s.Ctx, d.Old.ID)
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

// Findings are the leftovers that a commit adds to what was before it.
func (s *LeftoverSearch) Findings(before repo.ID, source Source) ([]Finding, error) {
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

// Tree is a commit's tree without the leftovers that the branch brought in up to it.
func (s *LeftoverSearch) Tree(of repo.ID) (repo.ID, error) {
	differences, gone, err := s.compare(s.Base, of)
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
		entries = append(entries, repo.IndexEntry{Path: d.Path, Mode: d.New.Mode, ID: s.Objects.Put(repo.KindBlob, kept.Bytes())})
	}
	if len(entries) == 0 {
		return of, nil
	}
	tree, err := s.Objects.EditTree(s.Ctx, of, entries)
	if err != nil {
		return tree, fmt.Errorf("sweep %s: %w", of.Short(), err)
	}
	return tree, nil
}
