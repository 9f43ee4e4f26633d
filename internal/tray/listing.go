package tray

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"bastel/internal/repo"
)

// Listing is all changes as they are sorted now. The files are for looking at: they
// hold no more than their hunks.
type Listing struct {
	Loose []File
	Trays []Tray   // A always, and every other that holds something or has a message
	Lost  []string // paths of which trays held what is not loose any more

	view    View
	layered []laid // nothing where they are too many, or too large, to be kept in memory
	authors map[Layer]string
}

// laid is a file with what its layers show.
type laid struct {
	file  *LayeredFile
	files map[Layer]File
}

// Tray is a commit being drafted.
type Tray struct {
	Layer   Layer
	Message string
	Author  string // of a commit that it was before; empty: whoever commits it
	Files   []File
}

// Files gives the files of a layer.
func (b Listing) Files(l Layer) []File {
	if l == Loose {
		return b.Loose
	}
	for _, t := range b.Trays {
		if t.Layer == l {
			return t.Files
		}
	}
	return nil
}

// mostInMemory bounds the texts of a listing that can be sorted in memory, in bytes.
const mostInMemory = 16 << 20

// Read lists all changes, sorted as kept.
func Read(ctx context.Context, r *repo.Repo, changes []repo.Change, kept *State, view View) (Listing, error) {
	listing := Listing{view: view, authors: kept.Authors}
	byLayer := map[Layer][]File{}
	seen := map[string]bool{}
	size := 0
	err := eachBatch(ctx, r, changes, kept, view, func(layered []*LayeredFile, lost []string) error {
		listing.Lost = append(listing.Lost, lost...)
		for _, s := range layered {
			if err := ctx.Err(); err != nil {
				return err
			}
			seen[s.Path] = true
			l := s.lay(view.Context, byLayer)
			if size += s.size(); len(changes) <= batch && size <= mostInMemory {
				listing.layered = append(listing.layered, l)
			}
		}
		return nil
	})
	if err != nil {
		return listing, err
	}
	if len(changes) > batch || size > mostInMemory {
		listing.layered = nil
	}
	for path := range kept.files {
		if !seen[path] {
			listing.Lost = append(listing.Lost, path)
		}
	}
	slices.Sort(listing.Lost)
	listing.fill(byLayer, func(l Layer) string { return kept.Messages[l] })
	return listing, nil
}

// lay adds what each layer shows of a file to lists.
func (s *LayeredFile) lay(context int, byLayer map[Layer][]File) laid {
	files := map[Layer]File{}
	for _, l := range append([]Layer{A, Loose}, s.drafts()...) {
		if f, _ := s.file(l, context); len(f.Hunks) > 0 {
			f.Old.ID, f.New.ID = s.storedAs(f.Old, f.OldText), s.storedAs(f.New, f.NewText)
			f.forgetTexts()
			files[l] = f
			byLayer[l] = append(byLayer[l], f)
		}
	}
	return laid{s, files}
}

// storedAs is where the text of a side can be read again; zero: nowhere, or as the working file.
func (s *LayeredFile) storedAs(side repo.IndexEntry, text []byte) repo.ID {
	for _, v := range []version{s.head, s.index} {
		if side.ID.IsZero() && side.Mode.IsFile() && v.Mode.IsFile() && bytes.Equal(v.data, text) {
			return v.ID
		}
	}
	return side.ID
}

// inOrder compares the places of files in the repository's status: paths that the index has by name, and then the
// others.
func (s *LayeredFile) inOrder(o *LayeredFile) int {
	if a, b := s.untracked(), o.untracked(); a != b {
		if a {
			return 1
		}
		return -1
	}
	return strings.Compare(s.Path, o.Path)
}

func (s *LayeredFile) untracked() bool {
	if s.From != "" {
		return s.Renamed > A
	}
	return s.head.Mode == repo.ModeNone && s.at(A).Mode == repo.ModeNone
}

// size is how much text the file holds, in bytes.
func (s *LayeredFile) size() int { return len(s.head.data) + len(s.index.data) + len(s.work.data) }

// fill lists the layers with what they hold.
func (b *Listing) fill(byLayer map[Layer][]File, message func(Layer) string) {
	b.Loose, b.Trays = byLayer[Loose], nil
	for l := A; l <= Last; l++ {
		if files, text := byLayer[l], message(l); l == A || len(files) > 0 || text != "" {
			b.Trays = append(b.Trays, Tray{l, text, b.authors[l], files})
		}
	}
}

// InMemory says whether the listing can be sorted in memory.
func (b Listing) InMemory() bool { return b.layered != nil }

// WithMessagesOf gives the listing with the messages of another one.
func (b Listing) WithMessagesOf(o Listing) Listing {
	byLayer := map[Layer][]File{Loose: b.Loose}
	for _, t := range b.Trays {
		byLayer[t.Layer] = t.Files
	}
	b.fill(byLayer, o.Message)
	return b
}

// Message is that of a tray.
func (b Listing) Message(l Layer) string {
	for _, t := range b.Trays {
		if t.Layer == l {
			return t.Message
		}
	}
	return ""
}

// ErrNotInMemory is a listing, or a part of one, that only the repository can sort.
var ErrNotInMemory = errors.New("it is not in memory")

// Move gives the listing as it will be once hunks, lines or files have gone from one layer to
// another, by what was read: nothing is written. Within are the paths that the selection lies in, if they
// are known, which saves comparing all others. Errors: those of the function Move, and ErrNotInMemory.
func (b Listing) Move(from, to Layer, selected []Selection, within []string) (Listing, error) {
	if b.layered == nil {
		return b, ErrNotInMemory
	}
	var layered []*LayeredFile
	for _, l := range b.layered {
		if s := l.file; len(within) == 0 || slices.Contains(within, s.Path) || s.From != "" && slices.Contains(within, s.From) {
			layered = append(layered, s)
		}
	}
	picked, err := pickFrom(layered, b.view.Context, from, selected)
	if err != nil {
		return b, err
	}
	moved := map[*LayeredFile]*LayeredFile{}
	for _, p := range picked {
		gone := p.file.weave.forgets(p.pick.lines(p.step), from, to)
		if p.file.stamp != "" || p.pick.File.has(repo.ModeSubmodule) || gone > 0 {
			return b, ErrNotInMemory // it has to be stored first, or looked at, or kept by the journal
		}
		s := *p.file // moving replaces what it holds, and changes nothing of it
		if err := s.move(p.pick, p.step, from, to); err != nil {
			return b, fmt.Errorf("%s: %w", strconv.Quote(s.Path), err)
		}
		moved[p.file] = &s
	}
	return b.with(moved), nil
}

// with gives the listing with some of its files sorted otherwise.
func (b Listing) with(moved map[*LayeredFile]*LayeredFile) Listing {
	layered := slices.Clone(b.layered)
	for i, l := range layered {
		if s := moved[l.file]; s != nil {
			layered[i] = s.lay(b.view.Context, map[Layer][]File{})
		}
	}
	slices.SortStableFunc(layered, func(a, b laid) int { return a.file.inOrder(b.file) })
	byLayer := map[Layer][]File{}
	for _, l := range layered {
		for at, f := range l.files {
			byLayer[at] = append(byLayer[at], f)
		}
	}
	old := b
	b.layered = layered
	b.fill(byLayer, old.Message)
	return b
}
