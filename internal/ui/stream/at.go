package stream

import (
	"cmp"

	"bastel/internal/diff"
	"bastel/internal/repo"
	"bastel/internal/ui/kit"
)

// FileAt is the file at the cursor, as of the commit whose changes are shown, with the line at the cursor; of a removed
// line as of the commit before, if that is known.
func (m *Model) FileAt(commit, before repo.ID) (kit.FileAt, bool) {
	r := m.at()
	if r.file < 0 {
		return kit.FileAt{}, false
	}
	f := &m.files[r.file]
	at := kit.FileAt{Point: commit.String(), Path: f.Path}
	if r.hunk < 0 || r.line < 0 {
		return at, true
	}
	switch line := f.Hunks[r.hunk].Lines[r.line]; {
	case line.Op != diff.Remove:
		at.Line = line.New + 1
	case !before.IsZero():
		at = kit.FileAt{Point: before.String(), Path: cmp.Or(f.From, f.Path), Line: line.Old + 1}
	}
	return at, true
}

// BaseAt is the file at the cursor as it was before the changes, with the line at the cursor; 0 of an added one.
func (m *Model) BaseAt() (path string, line int, ok bool) {
	r := m.at()
	if r.file < 0 {
		return "", 0, false
	}
	f := &m.files[r.file]
	if r.hunk >= 0 && r.line >= 0 {
		line = f.Hunks[r.hunk].Lines[r.line].Old + 1
	}
	return cmp.Or(f.From, f.Path), line, true
}
