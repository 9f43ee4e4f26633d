package tray

import (
	"errors"
	"fmt"
	"maps"
	"math"
	"slices"
	"strconv"
	"strings"

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

// resolveAll finds what words of a command mean among changes: a path is a whole
// file, a hunk's id the hunk, and `ID:3,5-7` those of its lines, counted from 1
// over all lines shown of it. Errors: ErrNoSuchHunk, ErrBadPick, ErrBlocked.
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
	places := whereIs(files)
	for _, word := range words {
		if err := resolveWord(files, places, word, pickOf); err != nil {
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

// whereIs finds files by their paths, and by the ids of their hunks.
func whereIs(files []File) map[string]int {
	places := make(map[string]int, 2*len(files))
	for i, f := range files {
		for _, h := range f.Hunks {
			places[h.ID] = i
		}
	}
	for i, f := range files {
		places[f.Path] = i // a path goes before a hunk's id
	}
	return places
}

func resolveWord(files []File, places map[string]int, word string, pickOf func(*File) *Pick) error {
	if at, ok := places[word]; ok && files[at].Path == word {
		for _, h := range files[at].Hunks {
			pickOf(&files[at]).Hunks[h.ID] = true
		}
		return nil
	}
	id, lines, hasLines := strings.Cut(word, ":")
	at, ok := places[id]
	hunk := -1
	if ok {
		hunk = files[at].hunk(id)
	}
	if hunk < 0 {
		return fmt.Errorf("%s: %w; it may have changed since it was listed", strconv.Quote(word), ErrNoSuchHunk)
	}
	if !hasLines {
		pickOf(&files[at]).Hunks[id] = true
		return nil
	}
	return pickLines(pickOf(&files[at]), files[at].Hunks[hunk], word, lines)
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

// LineWord names lines of a hunk, by their places counted from 0, as they are read.
func LineWord(id string, lines map[int]bool) string {
	var numbers []string
	for _, at := range slices.Sorted(maps.Keys(lines)) {
		numbers = append(numbers, strconv.Itoa(at+1))
	}
	return id + ":" + strings.Join(numbers, ",")
}

// ParseWord takes the name of lines apart: the hunk's id and the places of the lines,
// counted from 0.
func ParseWord(word string) (id string, lines map[int]bool, err error) {
	id, numbers, ok := strings.Cut(word, ":")
	if !ok {
		return id, nil, nil
	}
	lines, err = parseLines(numbers, math.MaxInt32)
	return id, lines, err
}
