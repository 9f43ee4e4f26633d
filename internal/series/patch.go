package series

import (
	"bytes"
	"compress/zlib"
	"context"
	"encoding/base64"
	"fmt"
	"mime"
	"slices"
	"strings"
	"time"

	"bastel/internal/diff"
	"bastel/internal/merge"
	"bastel/internal/repo"
)

// Patched is a commit to be written as a patch.
type Patched struct {
	ID           repo.ID
	Name, Email  string
	When         time.Time
	Message      string
	Before, Tree repo.ID
}

// contextLines is how many lines around a change a patch shows.
const contextLines = 3

// Mailbox writes a series as messages with patches, one after the other, as RFC 4155
// stores and RFC 5322 words them. Other tools take them in.
func Mailbox(ctx context.Context, objects merge.Objects, series []Patched) ([]byte, error) {
	var b bytes.Buffer
	for n, p := range series {
		subject, body := repo.Subject(p.Message), bodyOf(p.Message)
		number := ""
		if len(series) > 1 {
			number = fmt.Sprintf(" %d/%d", n+1, len(series))
		}
		fmt.Fprintf(&b, "From %s Mon Sep 17 00:00:00 2001\n", p.ID)
		fmt.Fprintf(&b, "From: %s <%s>\n", mime.QEncoding.Encode("UTF-8", p.Name), p.Email)
		fmt.Fprintf(&b, "Date: %s\n", p.When.Format("Mon, 2 Jan 2006 15:04:05 -0700"))
		fmt.Fprintf(&b, "Subject: [PATCH%s] %s\n", number, mime.QEncoding.Encode("UTF-8", subject))
		var text bytes.Buffer
		for line := range strings.Lines(body) {
			text.WriteString(guarded(line))
		}
		text.WriteString("---\n\n")
		if err := Unified(ctx, objects, &text, p.Before, p.Tree); err != nil {
			return nil, err
		}
		text.WriteString("-- \nbastel\n\n")
		b.WriteString("MIME-Version: 1.0\nContent-Type: text/plain; charset=UTF-8\n")
		if !bytes.ContainsRune(text.Bytes(), '\r') {
			b.WriteString("Content-Transfer-Encoding: 8bit\n\n")
			b.Write(text.Bytes())
			continue
		}
		// On their way messages lose what stands before the end of a line.
		b.WriteString("Content-Transfer-Encoding: base64\n\n")
		encoded := base64.StdEncoding.EncodeToString(text.Bytes())
		for chunk := range slices.Chunk([]byte(encoded), 76) {
			b.Write(append(chunk[:len(chunk):len(chunk)], '\n'))
		}
		b.WriteByte('\n')
	}
	return b.Bytes(), nil
}

func bodyOf(message string) string {
	_, body, _ := strings.Cut(strings.TrimLeft(message, "\n"), "\n\n")
	if body = strings.Trim(body, "\n"); body == "" {
		return ""
	}
	return body + "\n"
}

// guarded keeps a line of a message from being read as the end of it.
func guarded(line string) string {
	for _, start := range []string{"From ", "---", "diff -", "Index: "} {
		if strings.HasPrefix(line, start) {
			return " " + line
		}
	}
	return line
}

// Unified writes what differs between two trees as unified diffs, with the headers that
// carry modes, links, and files that are no text.
func Unified(ctx context.Context, objects merge.Objects, b *bytes.Buffer, old, new repo.ID) error {
	differences, err := merge.Compare(ctx, objects, old, new)
	if err != nil {
		return err
	}
	list, err := merge.Derive(ctx, objects, differences)
	if err != nil {
		return err
	}
	for _, d := range list {
		if form(d.Old) != form(d.New) && !d.Old.IsZero() && !d.New.IsZero() {
			// What changes its form goes, and comes anew.
			if err := filePatch(ctx, objects, b, merge.Derived{Difference: merge.Difference{Path: d.Path, Old: d.Old}}); err != nil {
				return err
			}
			d.Old = repo.Entry{}
		}
		if err := filePatch(ctx, objects, b, d); err != nil {
			return err
		}
	}
	return nil
}

// form tells files, links and submodules apart.
func form(e repo.Entry) repo.Mode { return e.Mode &^ 0o777 }

func filePatch(ctx context.Context, objects merge.Objects, b *bytes.Buffer, d merge.Derived) error {
	old, err := sideText(ctx, objects, d.Old)
	if err != nil {
		return err
	}
	new, err := sideText(ctx, objects, d.New)
	if err != nil {
		return err
	}
	origin := d.Path
	if d.From != "" {
		origin = d.From
	}
	from, to := named("a/"+origin), named("b/"+d.Path)
	fmt.Fprintf(b, "diff --git %s %s\n", from, to)
	// What comes behind a blank is no time then.
	if strings.Contains(origin, " ") {
		from += "\t"
	}
	if strings.Contains(d.Path, " ") {
		to += "\t"
	}
	mode := ""
	switch {
	case d.Old.IsZero():
		fmt.Fprintf(b, "new file mode %06o\n", uint32(d.New.Mode))
		from = "/dev/null"
	case d.New.IsZero():
		fmt.Fprintf(b, "deleted file mode %06o\n", uint32(d.Old.Mode))
		to = "/dev/null"
	case d.Old.Mode != d.New.Mode:
		fmt.Fprintf(b, "old mode %06o\nnew mode %06o\n", uint32(d.Old.Mode), uint32(d.New.Mode))
	default:
		mode = fmt.Sprintf(" %06o", uint32(d.New.Mode))
	}
	if d.From != "" {
		word := "rename"
		if d.Copy {
			word = "copy"
		}
		fmt.Fprintf(b, "similarity index %d%%\n%s from %s\n%s to %s\n", d.Alike, word, named(d.From), word, named(d.Path))
	}
	if d.Old.ID == d.New.ID {
		return nil
	}
	fmt.Fprintf(b, "index %s..%s%s\n", fullID(d.Old.ID, d.New.ID), fullID(d.New.ID, d.Old.ID), mode)
	if merge.IsBinary(old) || merge.IsBinary(new) {
		b.WriteString("GIT binary patch\n")
		literal(b, new)
		literal(b, old)
		return nil
	}
	if len(old)+len(new) == 0 {
		return nil
	}
	fmt.Fprintf(b, "--- %s\n+++ %s\n", from, to)
	oldLines, newLines := diff.Split(old), diff.Split(new)
	for _, h := range diff.Hunks(oldLines, newLines, diff.Lines(oldLines, newLines), contextLines) {
		hunkText(b, h)
	}
	return nil
}

// named quotes a path where it holds more than plain characters.
func named(path string) string {
	if strings.ContainsFunc(path, func(r rune) bool { return r < ' ' || r > '~' || r == '"' || r == '\\' }) {
		return repo.QuotePath(path)
	}
	return path
}

// fullID is an id, or as many zeros for what is not there.
func fullID(id, other repo.ID) string {
	if id.IsZero() {
		return strings.Repeat("0", len(other.String()))
	}
	return id.String()
}

func sideText(ctx context.Context, objects merge.Objects, e repo.Entry) ([]byte, error) {
	if e.Mode == repo.ModeSubmodule {
		return fmt.Appendf(nil, "Subproject commit %s\n", e.ID), nil
	}
	return objects.Blob(ctx, e.ID)
}

func hunkText(b *bytes.Buffer, h diff.Hunk) {
	start := func(at, lines int) string {
		if lines == 0 {
			return fmt.Sprintf("%d,0", at)
		}
		return fmt.Sprintf("%d,%d", at+1, lines)
	}
	fmt.Fprintf(b, "@@ -%s +%s @@\n", start(h.OldStart, h.OldLines), start(h.NewStart, h.NewLines))
	for _, line := range h.Lines {
		b.WriteByte(byte(line.Op))
		b.Write(line.Text)
		if !bytes.HasSuffix(line.Text, []byte("\n")) {
			b.WriteString("\n\\ No newline at end of file\n")
		}
	}
}

// HunkPatch writes one hunk as a patch that programs for patches apply. An empty name: the file is not there on that side.
func HunkPatch(from, to string, h diff.Hunk) string {
	name := func(prefix, path string) string {
		switch {
		case path == "":
			return "/dev/null"
		case strings.Contains(path, " "): // what comes behind a blank is no time then
			return named(prefix+path) + "\t"
		}
		return named(prefix + path)
	}
	var b bytes.Buffer
	fmt.Fprintf(&b, "--- %s\n+++ %s\n", name("a/", from), name("b/", to))
	hunkText(&b, h)
	return b.String()
}

// digits are those of the base 85 that binary patches are written in.
const digits = "0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz!#$%&()*+-;<=>?@^_`{|}~"

// perLine is how many bytes a line of a binary patch holds.
const perLine = 52

// literal writes a content that is no text: deflated, in base 85, each line with its
// length first.
func literal(b *bytes.Buffer, data []byte) {
	fmt.Fprintf(b, "literal %d\n", len(data))
	var packed bytes.Buffer
	w := zlib.NewWriter(&packed)
	_, _ = w.Write(data) // a buffer does not fail
	_ = w.Close()
	for rest := packed.Bytes(); len(rest) > 0; {
		line := rest[:min(perLine, len(rest))]
		rest = rest[len(line):]
		if n := len(line); n <= 26 {
			b.WriteByte(byte('A' + n - 1))
		} else {
			b.WriteByte(byte('a' + n - 27))
		}
		for len(line) > 0 {
			var word uint32
			for i := range 4 {
				word <<= 8
				if i < len(line) {
					word |= uint32(line[i])
				}
			}
			line = line[min(4, len(line)):]
			var five [5]byte
			for i := 4; i >= 0; i-- {
				five[i] = digits[word%85]
				word /= 85
			}
			b.Write(five[:])
		}
		b.WriteByte('\n')
	}
	b.WriteByte('\n')
}
