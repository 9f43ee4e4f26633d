package tray

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"bastel/internal/diff"
	"bastel/internal/repo"
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

// selection gives the picked lines as the diff package counts them.
func (p Pick) selection() diff.Selection {
	var s diff.Selection
	for _, h := range p.File.Hunks {
		for i, line := range h.Lines {
			if p.Hunks[h.ID] || p.Lines[h.ID][i] {
				s.Pick(line)
			}
		}
	}
	return s
}

func (p Pick) whole() bool {
	for _, h := range p.File.Hunks {
		if !p.Hunks[h.ID] {
			return false
		}
	}
	return true
}

// Resolve finds what words of a command mean among changes: a path is a whole
// file, a hunk's id the hunk, and `ID:3,5-7` those of its lines, counted from 1
// over all lines shown of it. Errors: ErrNoSuchHunk, ErrBadPick, ErrBlocked.
func (side Side) Resolve(ctx context.Context, r *repo.Repo, changes []repo.Change, words []string) ([]Pick, error) {
	looked, err := inBatches(ctx, r, changes, side.whole)
	if err != nil {
		return nil, err
	}
	found, err := resolveAll(looked, words)
	if err != nil {
		return nil, err
	}
	// Now the files that are meant once more, as a whole.
	meant := map[string]bool{}
	for _, p := range found {
		meant[p.File.Path] = true
	}
	files, err := side.whole(ctx, r, slices.DeleteFunc(slices.Clone(changes), func(c repo.Change) bool { return !meant[c.Path] }))
	if err != nil {
		return nil, err
	}
	return resolveAll(files, words)
}

// Side is one of the two lists of changes, with what moves picks out of it.
type Side struct {
	whole List
	Carry func(ctx context.Context, r *repo.Repo, picks []Pick) ([]string, error)
}

// The sides: loose changes can be staged, staged ones unstaged.
var (
	LooseSide  = Side{wholeLoose, stage}
	StagedSide = Side{wholeStaged, unstage}
)

func resolveAll(files []File, words []string) ([]Pick, error) {
	picks := map[*File]*Pick{}
	var order []*File
	pickOf := func(f *File) *Pick {
		if picks[f] == nil {
			picks[f] = &Pick{File: f, Hunks: map[string]bool{}, Lines: map[string]map[int]bool{}}
			order = append(order, f)
		}
		return picks[f]
	}
	for _, word := range words {
		if err := resolve(files, word, pickOf); err != nil {
			return nil, err
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

func resolve(files []File, word string, pickOf func(*File) *Pick) error {
	for i := range files {
		if files[i].Path == word {
			for _, h := range files[i].Hunks {
				pickOf(&files[i]).Hunks[h.ID] = true
			}
			return nil
		}
	}
	id, lines, hasLines := strings.Cut(word, ":")
	for i := range files {
		at := files[i].hunk(id)
		if at < 0 {
			continue
		}
		if !hasLines {
			pickOf(&files[i]).Hunks[id] = true
			return nil
		}
		return pickLines(pickOf(&files[i]), files[i].Hunks[at], word, lines)
	}
	return fmt.Errorf("%s: %w; it may have changed since it was listed", strconv.Quote(word), ErrNoSuchHunk)
}

func pickLines(p *Pick, h Hunk, word, lines string) error {
	if !h.HasLines() {
		return fmt.Errorf("%s: %w: this %s change goes as a whole", word, ErrBadPick, h.Kind)
	}
	chosen, err := parseLines(lines, len(h.Lines))
	if err != nil {
		return fmt.Errorf("%s: %w: %v", word, ErrBadPick, err)
	}
	changed := false
	for at := range chosen {
		changed = changed || h.Lines[at].Op != diff.Keep
	}
	if !changed {
		return fmt.Errorf("%s: %w: these lines are unchanged ones", word, ErrBadPick)
	}
	if p.Lines[h.ID] == nil {
		p.Lines[h.ID] = map[int]bool{}
	}
	for at := range chosen {
		p.Lines[h.ID][at] = true
	}
	return nil
}

// parseLines reads "3,5-7"; the result counts from 0.
func parseLines(text string, limit int) (map[int]bool, error) {
	chosen := map[int]bool{}
	for part := range strings.SplitSeq(text, ",") {
		from, to, isRange := strings.Cut(part, "-")
		if !isRange {
			to = from
		}
		low, err1 := strconv.Atoi(from)
		high, err2 := strconv.Atoi(to)
		if err1 != nil || err2 != nil {
			return nil, fmt.Errorf("%q is not a line number or a range of them", part)
		}
		if low < 1 || high < low || high > limit {
			return nil, fmt.Errorf("lines run from 1 to %d", limit)
		}
		for n := low; n <= high; n++ {
			chosen[n-1] = true
		}
	}
	return chosen, nil
}

// stage puts picks of loose changes into the index: all of them or none. It gives
// the paths that changed.
func stage(ctx context.Context, r *repo.Repo, picks []Pick) ([]string, error) {
	var plan indexPlan
	for _, p := range picks {
		plan.move(p, p.File.Old, p.File.New, p.File.NewText, diff.Apply)
	}
	return plan.carryOut(ctx, r, picks)
}

// unstage takes picks of staged changes out of the index again.
func unstage(ctx context.Context, r *repo.Repo, picks []Pick) ([]string, error) {
	var plan indexPlan
	for _, p := range picks {
		plan.move(p, p.File.New, p.File.Old, p.File.OldText, diff.TakeOut)
	}
	return plan.carryOut(ctx, r, picks)
}

// Discards gives what working files shall hold once picks of loose changes are
// thrown away, with the contents written to the repository. A submodule's commit
// is its own repository's to change.
func Discards(ctx context.Context, r *repo.Repo, picks []Pick) ([]repo.IndexEntry, error) {
	var plan indexPlan
	for _, p := range picks {
		f := p.File
		if f.has(repo.ModeSubmodule) {
			return nil, fmt.Errorf("%s %w: go into the submodule and switch there", strconv.Quote(f.Path), ErrBlocked)
		}
		if f.Large && !p.whole() {
			return nil, fmt.Errorf("%s %w: it is too large to go in parts", strconv.Quote(f.Path), ErrBlocked)
		}
		if !p.content() {
			plan.write(f.Path, p.mode(f.New.Mode, f.Old.Mode), f.NewText)
			continue
		}
		plan.move(p, f.New, f.Old, f.OldText, diff.TakeOut)
	}
	return plan.entries, plan.store(ctx, r)
}

// move adds what the index shall hold when the picks go from what it has to the
// other side of the change.
func (plan *indexPlan) move(p Pick, has, other repo.IndexEntry, otherText []byte,
	combine func(old, new [][]byte, changes []diff.Change, s diff.Selection) []byte) {
	f := p.File
	mode := p.mode(has.Mode, other.Mode)
	switch {
	case other.Mode == repo.ModeNone && p.whole():
		plan.entries = append(plan.entries, repo.IndexEntry{Path: f.Path})
	case !p.content():
		plan.entries = append(plan.entries, repo.IndexEntry{Path: f.Path, Mode: mode, ID: has.ID})
	case len(f.changes) > 0 && !p.whole():
		plan.write(f.Path, mode, combine(f.oldLines, f.newLines, f.changes, p.selection()))
	case !other.ID.IsZero():
		plan.entries = append(plan.entries, repo.IndexEntry{Path: f.Path, Mode: mode, ID: other.ID})
	case f.Large:
		plan.fromDisk = append(plan.fromDisk, f.Path)
	default:
		plan.write(f.Path, mode, otherText)
	}
}

// content says whether more than the mode was picked.
func (p Pick) content() bool {
	for _, h := range p.File.Hunks {
		if h.Kind != ModeOnly && (p.Hunks[h.ID] || len(p.Lines[h.ID]) > 0) {
			return true
		}
	}
	return false
}

// mode is the mode that comes out when the picks go from one side to the other.
func (p Pick) mode(has, other repo.Mode) repo.Mode {
	if has == repo.ModeNone || other == repo.ModeNone {
		return max(has, other)
	}
	for _, h := range p.File.Hunks {
		if (h.Kind == ModeOnly || h.Kind == Type) && p.Hunks[h.ID] {
			return other
		}
	}
	return has
}

// indexPlan collects what shall go into the index.
type indexPlan struct {
	entries  []repo.IndexEntry
	blobs    [][]byte // contents of the entries named by places
	places   []int
	fromDisk []string
}

func (p *indexPlan) write(path string, mode repo.Mode, text []byte) {
	p.places = append(p.places, len(p.entries))
	p.blobs = append(p.blobs, text)
	p.entries = append(p.entries, repo.IndexEntry{Path: path, Mode: mode})
}

// store writes the contents.
func (p *indexPlan) store(ctx context.Context, r *repo.Repo) error {
	ids, err := r.WriteBlobs(ctx, p.blobs)
	if err != nil {
		return err
	}
	for n, at := range p.places {
		p.entries[at].ID = ids[n]
	}
	return nil
}

func (p *indexPlan) carryOut(ctx context.Context, r *repo.Repo, picks []Pick) ([]string, error) {
	if err := p.store(ctx, r); err != nil {
		return nil, err
	}
	if len(p.entries) > 0 {
		if err := r.UpdateIndex(ctx, p.entries); err != nil {
			return nil, err
		}
	}
	if len(p.fromDisk) > 0 {
		if err := r.AddPaths(ctx, p.fromDisk); err != nil {
			return nil, err
		}
	}
	paths := make([]string, len(picks))
	for i, pick := range picks {
		paths[i] = pick.File.Path
	}
	return paths, nil
}
