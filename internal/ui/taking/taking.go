// Package taking offers the ways in which changes from elsewhere come into the working files: loose, or into a tray. What
// comes is shown before it does. Entries of a plan are Shape's own.
//
// Its tests promise: the preview shows what comes, or what is to be answered first; its keys are pressed by the tests of ui
// and test/tmux.
package taking

import (
	"context"
	"errors"
	"fmt"
	"strings"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/app/resolving"
	"bastel/internal/diff"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/tray"
	"bastel/internal/ui/kit"
	"bastel/internal/wording"
)

// mender is the screen where conflicts are answered.
const mender = "Mend"

// Source is what is taken: the commits are made, or found, when they are asked for.
type Source struct {
	App     *app.App
	Screen  string // that asks
	Commits func(ctx context.Context) ([]repo.ID, error)
}

// Options are the ways.
func (s Source) Options(ctx context.Context) []kit.Option {
	return []kit.Option{
		{Key: "l", Label: "as loose changes", Detail: "into the working files, to be sorted; what conflicts is answered in Mend first",
			Look: s.preview, Do: func() tea.Cmd { return s.take(tray.Loose, false) }},
		{Key: "t", Label: "into a tray", Detail: "into the working files too, and drafted", Look: s.preview,
			Do: func() tea.Cmd { return kit.Find(ctx, s.Screen, s.trays) }},
	}
}

// trays offers those that there are, and the next free one.
func (s Source) trays(ctx context.Context) (kit.Choose, error) {
	choose := kit.Choose{Title: "Into which tray?"}
	drafts, err := resolving.Of(s.App).Trays(ctx)
	for _, d := range drafts {
		choose.Options = append(choose.Options, kit.Option{Key: strings.ToLower(d.Layer.String()), Label: "tray " + d.Layer.String(),
			Detail: safe.Line(d.Says), Do: func() tea.Cmd { return s.take(d.Layer, false) }})
	}
	return choose, err
}

// take does it. What meets other changes is mended first.
func (s Source) take(into tray.Layer, replace bool) tea.Cmd {
	return kit.Start(kit.Work[kit.Got]{Title: "Taking", Do: func(ctx context.Context, _ func(string)) (kit.Got, error) {
		ids, err := s.Commits(ctx)
		if err != nil {
			return kit.Got{}, err
		}
		paths, waiting, err := resolving.Of(s.App).Take(ctx, ids, into, replace)
		if errors.Is(err, repo.ErrInTheWay) && !replace {
			return kit.Got{Msg: kit.Ask{Question: app.QuestionOf(err) + " y does it; u brings them back.", Key: "y", Yes: s.take(into, true)}}, nil
		}
		if err != nil || waiting == nil {
			where := ""
			if into != tray.Loose {
				where = " into tray " + into.String()
			}
			return kit.Got{Note: fmt.Sprintf("Taken%s: %s changed. u undoes it.", where, wording.Count(len(paths), "file"))}, err
		}
		said := wording.Count(waiting.Open(), "place") + " to answer first. Nothing was changed yet."
		return kit.Got{Note: said, Msg: kit.Go{Screen: mender}}, nil
	}})
}

// mostShown is how many lines a preview has.
const mostShown = 200

// preview says what comes, hunk by hunk, and what is to be answered first.
func (s Source) preview(ctx context.Context) (string, error) {
	ids, err := s.Commits(ctx)
	if err != nil {
		return "", err
	}
	files, waiting, err := resolving.Of(s.App).Preview(ctx, ids)
	if err != nil {
		return "", err
	}
	var lines []string
	if n := waiting.Open(); n > 0 {
		lines = append(lines, wording.Count(n, "place")+" to answer in Mend first:")
		for _, f := range waiting.Files {
			if f.Open() > 0 {
				lines = append(lines, "  "+safe.Line(f.Conflict.Path))
			}
		}
		return strings.Join(lines, "\n"), nil
	}
	if len(files) == 0 {
		return "Your working files have all of it already.", nil
	}
	for _, f := range files {
		added, removed := f.Counts()
		lines = append(lines, fmt.Sprintf("%s  +%d −%d", safe.Line(f.Path), added, removed))
		for _, h := range f.Hunks {
			lines = append(lines, linesOf(h)...)
		}
		if len(lines) > mostShown {
			return strings.Join(append(lines[:mostShown], "…"), "\n"), nil
		}
	}
	return strings.Join(lines, "\n"), nil
}

// linesOf are a hunk's lines with their signs, without those around.
func linesOf(h tray.Hunk) (lines []string) {
	if !h.HasLines() {
		return []string{"  " + safe.Line(h.Note)}
	}
	for _, line := range h.Lines {
		if line.Op != diff.Keep {
			lines = append(lines, string(line.Op)+" "+safe.Line(strings.TrimRight(string(line.Text), "\r\n")))
		}
	}
	return append(lines, "")
}
