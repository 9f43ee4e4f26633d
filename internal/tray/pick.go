package tray

import (
	"errors"
	"fmt"
	"maps"
	"strconv"

	"bastel/internal/diff"
)

// Errors about what was picked.
var (
	ErrNoSuchHunk = errors.New("no such hunk or path")
	ErrBadPick    = errors.New("not a hunk, lines of one, or a path")
	ErrBlocked    = errors.New("cannot be sorted")
)

// Pick is what goes from one side to the other of one file: whole hunks, and
// single lines of hunks.
type Pick struct {
	File  *File
	Hunks map[string]bool         // by id: picked as a whole
	Lines map[string]map[int]bool // by id: places in Hunk.Lines, counted from 0
}

func (p Pick) whole() bool {
	for _, h := range p.File.Hunks {
		if !p.Hunks[h.ID] {
			return false
		}
	}
	return true
}

// resolveAll finds what is selected among changes. Errors: ErrNoSuchHunk, ErrBadPick, ErrBlocked.
func resolveAll(files []File, selected []Selection) ([]Pick, error) {
	picks := map[*File]*Pick{}
	var order []*File
	pickOf := func(f *File) *Pick {
		if picks[f] == nil {
			picks[f] = &Pick{File: f, Hunks: map[string]bool{}, Lines: map[string]map[int]bool{}}
			order = append(order, f)
		}
		return picks[f]
	}
	byPath, byHunk := whereIs(files)
	for _, s := range selected {
		if at, ok := byPath[s.Path]; ok && s.Path != "" {
			for _, h := range files[at].Hunks {
				pickOf(&files[at]).Hunks[h.ID] = true
			}
			continue
		}
		at, ok := byHunk[s.Hunk]
		if !ok {
			return nil, fmt.Errorf("%s: %w; it may have changed since it was listed", strconv.Quote(s.String()), ErrNoSuchHunk)
		}
		if err := pickOf(&files[at]).take(s, files[at].Hunks[files[at].hunk(s.Hunk)]); err != nil {
			return nil, fmt.Errorf("%s: %w", s, err)
		}
	}
	list := make([]Pick, len(order))
	for i, f := range order {
		if f.Blocked != "" {
			return nil, fmt.Errorf("%s %w: %s", strconv.Quote(f.Path), ErrBlocked, f.Blocked)
		}
		list[i] = *picks[f]
	}
	return list, nil
}

// whereIs finds files by their paths, and by the ids of their hunks.
func whereIs(files []File) (byPath, byHunk map[string]int) {
	byPath, byHunk = make(map[string]int, len(files)), make(map[string]int, len(files))
	for i, f := range files {
		byPath[f.Path] = i
		for _, h := range f.Hunks {
			byHunk[h.ID] = i
		}
	}
	return byPath, byHunk
}

// take takes a hunk into the pick, or lines of it.
func (p *Pick) take(s Selection, h Hunk) error {
	if s.Lines == nil {
		p.Hunks[h.ID] = true
		return nil
	}
	if !h.HasLines() {
		return fmt.Errorf("%w: this %s change goes as a whole", ErrBadPick, h.Kind)
	}
	changed := false
	for at := range s.Lines {
		if at >= len(h.Lines) {
			return fmt.Errorf("%w: lines run from 1 to %d", ErrBadPick, len(h.Lines))
		}
		changed = changed || h.Lines[at].Op != diff.Keep
	}
	if !changed {
		return fmt.Errorf("%w: these lines are unchanged ones", ErrBadPick)
	}
	if p.Lines[h.ID] == nil {
		p.Lines[h.ID] = map[int]bool{}
	}
	maps.Copy(p.Lines[h.ID], s.Lines)
	return nil
}
