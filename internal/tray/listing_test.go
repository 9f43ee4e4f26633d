package tray_test

import (
	"errors"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"bastel/internal/tray"
	"bastel/test/fixture"
)

// shownBy is what a listing shows: by layer and path, the hunks.
func shownBy(b tray.Listing) (shown []string) {
	list := func(at string, files []tray.File) {
		for _, f := range files {
			for _, h := range f.Hunks {
				shown = append(shown, at+" "+f.Path+" "+h.ID)
			}
		}
	}
	list("loose", b.Loose)
	for _, t := range b.Trays {
		list(t.Layer.String()+" "+t.Message, t.Files)
	}
	return shown
}

// TestSortingInMemory: what a listing in memory shows after any row of moves is what is read once
// the repository has followed; and steps taken back, last first, bring back each state before.
func TestSortingInMemory(t *testing.T) {
	fixture.FewerChecks(t, "25")
	d := newDesk(t)
	const B = tray.A + 1
	rapid.Check(t, func(t *rapid.T) {
		d.Commit("state", "x", texts.Draw(t, "head"), "y", texts.Draw(t, "head y"), "run", "x\n")
		d.Git("update-ref", "-d", tray.Ref(d.repo))
		d.Write("x", texts.Draw(t, "work"))
		d.Write("z", texts.Draw(t, "new")+"z\n")
		if rapid.Bool().Draw(t, "y goes") {
			require.NoError(t, os.Remove(filepath.Join(d.Dir, "y")))
		}
		if rapid.Bool().Draw(t, "renamed") {
			require.NoError(t, os.Rename(filepath.Join(d.Dir, "run"), filepath.Join(d.Dir, "runs")))
		} else if rapid.Bool().Draw(t, "runs") {
			require.NoError(t, os.Chmod(filepath.Join(d.Dir, "run"), 0o755))
		}
		listing := d.listing(t)
		last := tray.NothingKept()
		read := func() tray.Listing {
			changes, kept := d.look(t)
			kept.Remember(last)
			b, err := tray.Read(ctx, d.repo, changes, kept, tray.Plain)
			require.NoError(t, err)
			return b
		}
		fresh := shownBy(listing)
		var steps []tray.Step
		var moves []tray.Movement // in one go, at the end
		var states [][]string
		layer := rapid.SampledFrom([]tray.Layer{tray.A, B, tray.Loose})
		for range rapid.IntRange(1, 5).Draw(t, "moves") {
			from, to := layer.Draw(t, "from"), layer.Draw(t, "to")
			words := some(t, listing.Files(from))
			if rapid.Bool().Draw(t, "whole") {
				words = tray.IDs(listing.Files(from))
			}
			if from == to || len(words) == 0 {
				continue
			}
			var within []string
			if rapid.Bool().Draw(t, "paths are known") {
				within = paths(listing.Files(from))
			}
			moved, inMemory := listing.Move(from, to, selection(t, words...), within)
			changes, kept := d.look(t)
			kept.Remember(last)
			out, err := tray.Move(ctx, d.repo, changes, kept, tray.Plain, from, to, selection(t, words...))
			if errors.Is(err, tray.ErrBuildsOn) {
				require.ErrorIs(t, inMemory, tray.ErrBuildsOn)
				continue
			}
			if out.Gone > 0 {
				require.ErrorIs(t, inMemory, tray.ErrNotInMemory, "the journal has to keep the text")
			} else {
				require.NoError(t, inMemory)
			}
			states = append(states, shownBy(listing))
			d.keep(t, out, err)
			last = out.Kept
			if listing = moved; out.Gone > 0 {
				listing, steps, states, moves = read(), nil, nil, nil
				fresh = nil
			} else {
				moves = append(moves, tray.Movement{From: from, To: to, Selected: selection(t, words...)})
				steps = append(steps, out.Step)
			}
			require.Equal(t, shownBy(read()), shownBy(listing))
		}
		if rapid.Bool().Draw(t, "another program unstages") {
			d.Git("reset", "--quiet")
			require.Empty(t, read().Files(tray.A))
			d.Git("add", "--all")
			return
		}
		for i := len(steps) - 1; i >= 0; i-- {
			changes, kept := d.look(t)
			kept.Remember(last)
			out, err := tray.Back(ctx, d.repo, changes, kept, steps[i])
			d.keep(t, out, err)
			last = out.Kept
			require.Equal(t, states[i], shownBy(read()))
			steps[i] = out.Step
		}
		if fresh != nil && len(moves) > 0 {
			changes, kept := d.look(t)
			kept.Remember(last)
			out, again, err := tray.MoveEach(ctx, d.repo, changes, kept, tray.Plain,
				append(moves, tray.Movement{From: B, To: tray.A, Selected: tray.SelectFiles("not there")}))
			require.ErrorIs(t, err, tray.ErrNoSuchHunk)
			require.Len(t, again, len(moves))
			d.keep(t, out, nil)
			last = out.Kept
			require.Equal(t, shownBy(listing), shownBy(read()), "all at once")
			for i := len(again) - 1; i >= 0; i-- {
				changes, kept := d.look(t)
				kept.Remember(last)
				out, err := tray.Back(ctx, d.repo, changes, kept, again[i])
				d.keep(t, out, err)
				last = out.Kept
			}
			require.Equal(t, fresh, shownBy(read()))
		}
		for i, step := range steps {
			changes, kept := d.look(t)
			kept.Remember(last)
			out, err := tray.Back(ctx, d.repo, changes, kept, step)
			d.keep(t, out, err)
			last = out.Kept
			if i+1 < len(states) {
				require.Equal(t, states[i+1], shownBy(read()))
			}
		}
		require.Equal(t, shownBy(listing), shownBy(read()))
		d.Git("add", "--all")
	})
}
