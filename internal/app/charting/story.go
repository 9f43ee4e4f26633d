package charting

import (
	"context"

	"bastel/internal/app"
	"bastel/internal/history"
	"bastel/internal/repo"
	"bastel/internal/tray"
)

// Story is how a file came to be what it is: its versions up to a point, newest first.
type Story struct {
	Point    string
	Path     string // as it is called there
	Versions []history.Version
	Sources  []app.Source // of the versions
	texts    *history.Texts
}

// Story reads the versions of a file up to a point, through its renames. Where no commit had it that is refused.
func (a *App) Story(ctx context.Context, point, path string) (Story, error) {
	s := Story{Point: point, Path: path}
	tip, err := a.CommitNamed(ctx, point)
	if err != nil {
		return s, err
	}
	objects := a.Engine.Objects()
	if s.Versions, err = history.Of(ctx, a.Repo, objects, tip, path); err != nil {
		return s, err
	}
	if len(s.Versions) == 0 {
		return s, app.Refuse("No commit of %s has %q. Its name is written as it is from the top of the working tree.", point, path)
	}
	ids := make([]repo.ID, len(s.Versions))
	for i, v := range s.Versions {
		ids[i] = v.Commit
	}
	if s.Sources, err = a.Sources(ctx, ids); err != nil {
		return s, err
	}
	s.texts, err = history.NewTexts(ctx, a.Repo, objects, s.Versions)
	return s, err
}

// Text is the whole file as a version has it.
func (s Story) Text(ctx context.Context, version int) ([]byte, error) {
	return s.texts.Of(ctx, s.Versions[version])
}

// Wrote says which version wrote a line of the newest one, counted from 1.
func (s Story) Wrote(ctx context.Context, line int) (int, error) {
	origins, err := history.Origins(ctx, s.Versions, s.texts)
	if err != nil {
		return 0, err
	}
	if line < 1 || line > len(origins) {
		return 0, app.Refuse("%q has %d lines as of %s, and no line %d.", s.Path, len(origins), s.Point, line)
	}
	return origins[line-1].Version, nil
}

// Changes is what a version changed of the file, or what two versions differ in, the older one first.
func (a *App) Changes(ctx context.Context, s Story, older, newer int) ([]tray.File, error) {
	var trees [2]repo.ID
	paths := map[string]bool{s.Versions[newer].Path: true, s.Versions[newer].From: true}
	before := s.Sources[newer].Commit.Parent()
	if older != newer {
		before = s.Versions[older].Commit
		paths[s.Versions[older].Path] = true
	}
	var err error
	for i, id := range []repo.ID{before, s.Versions[newer].Commit} {
		if trees[i], err = a.TreeOf(ctx, id); err != nil {
			return nil, err
		}
	}
	files, err := tray.BetweenFollowed(ctx, a.Engine.Objects(), trees[0], trees[1])
	var own []tray.File
	for _, f := range files {
		if paths[f.Path] || f.From != "" && paths[f.From] {
			own = append(own, f)
		}
	}
	return own, err
}
