package app

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/tray"
	"bastel/internal/wording"
)

// ReadOut is what there is to say of a commit.
type ReadOut struct {
	ID              repo.ID
	Subject         string
	Body            string   // without the trailers
	Trailers        []string // the lines at the end of the message that name something: "Key: value"
	Author          repo.Person
	Committer       repo.Person
	When            time.Time // of the author
	Parents         []repo.ID
	Files           []ChangedFile
	Added, Removed  int
	OfSeveralParent bool   // it is a merge: files are against its first parent
	Signed          bool   // it carries a signature
	Signature       string // what was found of it; empty: it was not checked
}

// ChangedFile is a file that a commit changes, and by how much.
type ChangedFile struct {
	Path, From     string // From: what it was called before; empty: the same
	Kind           string // what happened to it, in a word
	Added, Removed int
}

// ReadOut reads a commit, and what it changes.
func (a *App) ReadOut(ctx context.Context, id repo.ID) (ReadOut, error) {
	c, err := a.Repo.Commit(ctx, id)
	if err != nil {
		return ReadOut{}, err
	}
	files, err := a.CommitChanges(ctx, id)
	if err != nil {
		return ReadOut{}, err
	}
	return ReadOutOf(id, c, files), nil
}

// ReadOutOf says what there is to say of a commit, and of the files that it changes.
func ReadOutOf(id repo.ID, c *repo.Commit, files []tray.File) ReadOut {
	message := c.Text(c.Message)
	out := ReadOut{ID: id, Subject: c.Subject(), Author: c.Writer(), Committer: c.CommittedBy(),
		Parents: c.Parents, OfSeveralParent: len(c.Parents) > 1}
	out.When = out.Author.When
	out.Signed = slices.ContainsFunc(c.Extra, func(h repo.Header) bool { return strings.HasPrefix(h.Key, "gpgsig") })
	text, trailers := splitTrailers(strings.TrimSpace(message))
	_, body, _ := strings.Cut(text, "\n")
	out.Body, out.Trailers = strings.TrimSpace(body), trailers
	for _, f := range files {
		changed := FileChanged(f)
		out.Files = append(out.Files, changed)
		out.Added, out.Removed = out.Added+changed.Added, out.Removed+changed.Removed
	}
	return out
}

// CheckSignature has the signature of a commit checked, if it has one, as the configuration says.
func (a *App) CheckSignature(ctx context.Context, out *ReadOut) error {
	if !out.Signed {
		return nil
	}
	s, err := a.Repo.VerifyCommit(ctx, out.ID)
	if err != nil {
		return err
	}
	by := ""
	if s.By != "" {
		by = " by " + safe.Line(s.By)
	}
	switch {
	case s.Good:
		out.Signature = "signed" + by + "; the signature is good"
	case s.Said != "":
		out.Signature = "signed" + by + "; that could not be confirmed: " + safe.Line(s.Said)
	default:
		out.Signature = "signed" + by + "; the signature is not good"
	}
	return nil
}

// FileChanged says what happened to a file, and by how much it changed.
func FileChanged(f tray.File) ChangedFile {
	added, removed := f.Counts()
	changed := ChangedFile{Path: f.Path, From: f.From, Kind: "changed", Added: added, Removed: removed}
	switch {
	case f.From != "":
		changed.Kind = "renamed"
	case f.Old.Mode == repo.ModeNone:
		changed.Kind = "new"
	case f.New.Mode == repo.ModeNone:
		changed.Kind = "deleted"
	}
	return changed
}

// Text writes it for people, a line for each thing.
func (r ReadOut) Text() string {
	lines := []string{r.ID.Short() + "  " + safe.Line(r.Author.Name) + ", " + r.When.Local().Format("2 Jan 2006 15:04")}
	if r.Committer.Name != r.Author.Name {
		lines = append(lines, "committed by "+safe.Line(r.Committer.Name))
	}
	if r.Body != "" {
		lines = append(lines, "", safe.Text(r.Body))
	}
	for _, trailer := range r.Trailers {
		lines = append(lines, safe.Line(trailer))
	}
	lines = append(lines, "", fmt.Sprintf("%s  +%d −%d", wording.Count(len(r.Files), "file"), r.Added, r.Removed))
	for _, f := range r.Files {
		lines = append(lines, f.String())
	}
	return strings.Join(lines, "\n")
}

// people says who made the commit and when, with addresses: the committer only where that is somebody else, or was later.
func (r ReadOut) people() []string {
	const form = "2 Jan 2006 15:04 -0700"
	lines := []string{fmt.Sprintf("%s <%s>, %s", safe.Line(r.Author.Name), safe.Line(r.Author.Email), r.When.Format(form))}
	if r.Committer.Name != r.Author.Name || r.Committer.Email != r.Author.Email || !r.Committer.When.Equal(r.When) {
		lines = append(lines, fmt.Sprintf("committed by %s <%s>, %s", safe.Line(r.Committer.Name), safe.Line(r.Committer.Email),
			r.Committer.When.Format(form)))
	}
	return lines
}

// Header is all but the files: people, parents where it is a merge, a signature, the body, the trailers.
func (r ReadOut) Header() []string {
	lines := r.people()
	if r.OfSeveralParent {
		var names []string
		for _, id := range r.Parents {
			names = append(names, id.Short())
		}
		lines = append(lines, "a merge of "+strings.Join(names, " and "))
	}
	if r.Signed {
		lines = append(lines, cmp.Or(r.Signature, "signed"))
	}
	if r.Body != "" {
		lines = append(lines, strings.Split(safe.Text(r.Body), "\n")...)
	}
	for _, trailer := range r.Trailers {
		lines = append(lines, safe.Line(trailer))
	}
	return lines
}

// Whole is all of it as a text for somebody else.
func (r ReadOut) Whole() string {
	parts := []string{safe.Line(r.Subject)}
	if r.Body != "" {
		parts = append(parts, safe.Text(r.Body))
	}
	if len(r.Trailers) > 0 {
		parts = append(parts, safe.Text(strings.Join(r.Trailers, "\n")))
	}
	parts = append(parts, r.ID.String()+"\n"+strings.Join(r.people(), "\n"))
	files := []string{fmt.Sprintf("%s  +%d −%d", wording.Count(len(r.Files), "file"), r.Added, r.Removed)}
	for _, f := range r.Files {
		files = append(files, f.String())
	}
	return strings.Join(append(parts, strings.Join(files, "\n")), "\n\n") + "\n"
}

// String writes the file in a line.
func (f ChangedFile) String() string {
	name := safe.Line(f.Path)
	if f.From != "" {
		name = safe.Line(f.From) + " → " + name
	}
	text := fmt.Sprintf("%s  +%d −%d", name, f.Added, f.Removed)
	if f.Kind == "new" || f.Kind == "deleted" {
		text += "  " + f.Kind
	}
	return text
}

// Text is a whole version of a file; with the zero id the working file as it lies there, without filters.
func (a *App) Text(ctx context.Context, path string, id repo.ID) ([]byte, error) {
	if !id.IsZero() {
		object, err := a.Repo.Object(ctx, id)
		return object.Data, err
	}
	return a.Repo.ReadWorkBytes(path)
}
