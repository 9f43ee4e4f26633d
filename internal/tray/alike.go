package tray

import (
	"context"
	"fmt"

	"bastel/internal/diff"
	"bastel/internal/repo"
)

// Bounds of the search for renames and copies: it compares every file that came
// with every one that went or changed.
const (
	mostCompared  = 100     // files on each side
	largestAlike  = 1 << 20 // bytes
	renamedFrom   = 50      // percent alike, from which on one file is the other renamed
	copiedFrom    = 60      // percent alike, from which on it is said
	fullyAlike100 = 100
)

// pairing is what the search found about a path that came.
type pairing struct {
	from  *repo.Change // the path that went, if it is the same file renamed
	at    Layer
	alike string
}

// pairUp finds for the paths that came where they came from: first by the very same
// content, then by the share of lines in common. Paths of which trays hold something by themselves stay two: what came later, and is
// like one of them, tears nothing out of a tray.
func pairUp(ctx context.Context, r *repo.Repo, changes []repo.Change, kept *State) (map[string]pairing, error) {
	if follows, err := r.FollowsRenames(ctx); err != nil || !follows {
		return map[string]pairing{}, err
	}
	times := map[string]int{}
	for _, c := range changes {
		times[c.Path]++
	}
	found := map[string]pairing{}
	for _, at := range []Layer{A, Loose} {
		var gone, came, changed []int
		for i, c := range changes {
			switch {
			case times[c.Path] > 1 || c.Conflict || kept.alone(c.Path):
			case isCame(c, at):
				came = append(came, i)
			case isGone(c, at):
				gone = append(gone, i)
			case at == Loose && c.Loose:
				changed = append(changed, i)
			}
		}
		if len(came) == 0 || len(gone)+len(changed) == 0 || len(came) > mostCompared || len(gone)+len(changed) > mostCompared {
			continue
		}
		if err := pairLayer(ctx, r, changes, at, gone, came, changed, found); err != nil {
			return nil, err
		}
	}
	return found, nil
}

func isCame(c repo.Change, at Layer) bool {
	if at == A {
		return c.Staged && c.HeadMode == repo.ModeNone && c.IndexMode.IsFile()
	}
	return c.New || c.Loose && !c.Staged && c.IndexMode == repo.ModeNone
}

func isGone(c repo.Change, at Layer) bool {
	if at == A {
		return c.Staged && c.HeadMode.IsFile() && c.IndexMode == repo.ModeNone
	}
	return c.Loose && !c.New && c.IndexMode.IsFile() && c.WorkMode == repo.ModeNone
}

// content is a text to be compared, with its id.
type content struct {
	id repo.ID
	diff.Likeness
}

// alike is the share in common, in percent.
func (c content) alike(o content) int {
	if c.id == o.id {
		return fullyAlike100
	}
	return c.With(o.Likeness)
}

func pairLayer(ctx context.Context, r *repo.Repo, changes []repo.Change, at Layer, gone, came, changed []int,
	found map[string]pairing) error {
	news, err := readContents(ctx, r, changes, came, at, true)
	if err != nil {
		return err
	}
	olds, err := readContents(ctx, r, changes, append(gone, changed...), at, false)
	if err != nil {
		return err
	}
	taken := map[int]bool{}
	for _, least := range []int{fullyAlike100, renamedFrom} {
		for n, place := range came {
			path := changes[place].Path
			if _, done := found[path]; done || news[n].IsZero() {
				continue
			}
			best, share := -1, least-1
			for o := range gone {
				if like := news[n].alike(olds[o]); !taken[o] && !olds[o].IsZero() && like > share {
					best, share = o, like
				}
			}
			if best >= 0 {
				taken[best] = true
				found[path] = pairing{from: &changes[gone[best]], at: at}
			}
		}
	}
	for n, place := range came {
		if _, done := found[changes[place].Path]; done || news[n].IsZero() {
			continue
		}
		share := copiedFrom - 1
		for o, old := range olds {
			if like := news[n].alike(old); like > share && !old.IsZero() {
				share = like
				from := append(gone, changed...)[o]
				found[changes[place].Path] = pairing{alike: fmt.Sprintf("%d %% like %s", like, changes[from].Path)}
			}
		}
	}
	return nil
}

// readContents reads what paths hold on one side of a layer. What is too large, or
// no text, resembles nothing.
func readContents(ctx context.Context, r *repo.Repo, changes []repo.Change, places []int, at Layer, new bool) ([]content, error) {
	contents := make([]content, len(places))
	versions := make([]version, len(places))
	if new && at == Loose {
		some := make([]repo.Change, len(places))
		for n, place := range places {
			some[n] = changes[place]
		}
		files, err := r.ReadWorkFiles(ctx, some)
		if err != nil {
			return nil, err
		}
		for n, f := range files {
			versions[n] = version{Mode: f.Mode, data: f.Data}
		}
	} else {
		var reads []*version
		for n, place := range places {
			c := changes[place]
			versions[n] = version{Mode: c.IndexMode, ID: c.IndexID}
			if at == A && !new {
				versions[n] = version{Mode: c.HeadMode, ID: c.HeadID}
			}
			reads = append(reads, &versions[n])
		}
		if err := readVersions(ctx, r, reads, largestAlike); err != nil {
			return nil, err
		}
	}
	for n, v := range versions {
		if v.Mode.IsFile() && len(v.data) > 0 && len(v.data) <= largestAlike {
			contents[n] = content{r.HashObject(repo.KindBlob, v.data), diff.LikenessOf(v.data)}
		}
	}
	return contents, nil
}
