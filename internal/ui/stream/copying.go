package stream

import (
	"strings"

	"bastel/internal/repo"
	"bastel/internal/series"
	"bastel/internal/tray"
	"bastel/internal/ui/kit"
)

// ToCopy is what there is at the cursor to be put on the clipboard: the line, the hunk as a patch, the path.
func (m *Model) ToCopy() (list []kit.Copied) {
	r := m.at()
	if r.file < 0 {
		return nil
	}
	f := m.files[r.file]
	if h, ok := m.HunkAtCursor(); ok && h.HasLines() {
		if r.line >= 0 && int(r.line) < len(h.Lines) {
			list = append(list, kit.Copied{Name: "the line", Text: strings.TrimRight(string(h.Lines[r.line].Text), "\r\n")})
		}
		list = append(list, kit.Copied{Name: "the hunk, as a patch", Text: patchOf(&f, h)})
	}
	return append(list, kit.Copied{Name: "the path", Text: f.Path})
}

// Patch is the text of all changes that have lines.
func Patch(files []tray.File) string {
	var b strings.Builder
	for i := range files {
		for _, h := range files[i].Hunks {
			if h.HasLines() {
				b.WriteString(patchOf(&files[i], h))
			}
		}
	}
	return b.String()
}

func patchOf(f *tray.File, h tray.Hunk) string {
	from, to := f.Old.Path, f.Path
	if f.Old.Mode == repo.ModeNone {
		from = ""
	}
	if f.New.Mode == repo.ModeNone {
		to = ""
	}
	return series.HunkPatch(from, to, h.Hunk)
}
