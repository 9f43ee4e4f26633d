package app

import (
	"context"
	"fmt"
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
	OfSeveralParent bool // it is a merge: files are against its first parent
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
	message := c.Text(c.Message)
	out := ReadOut{ID: id, Subject: c.Subject(), Author: c.Writer(), Committer: repo.ParsePerson(c.Text(c.Committer)),
		Parents: c.Parents, OfSeveralParent: len(c.Parents) > 1}
	out.When = out.Author.When
	text, trailers := splitTrailers(strings.TrimSpace(message))
	_, body, _ := strings.Cut(text, "\n")
	out.Body, out.Trailers = strings.TrimSpace(body), trailers
	for _, f := range files {
		changed := FileChanged(f)
		out.Files = append(out.Files, changed)
		out.Added, out.Removed = out.Added+changed.Added, out.Removed+changed.Removed
	}
	return out, nil
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
