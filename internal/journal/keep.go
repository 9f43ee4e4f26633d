package journal

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"bastel/internal/repo"
)

// besideRef holds the journal while its ref is made anew: the old log, which would keep what
// is forgotten, goes with the old ref.
func besideRef(r *repo.Repo) string { return r.OwnRef("JOURNAL_BESIDE") }

// Open makes the journal fit to be used: it goes on with a forgetting that was cut off, and
// forgets what somebody let expire.
func (l *Log) Open(ctx context.Context) error {
	if err := l.repo.DropDangling(ctx, Ref(l.repo)); err != nil {
		return err
	}
	beside, err := l.repo.RefValue(ctx, besideRef(l.repo))
	if err != nil || beside.IsZero() {
		return err
	}
	moves := []repo.RefUpdate{{Ref: besideRef(l.repo), Old: beside}}
	if end, err := l.repo.RefValue(ctx, Ref(l.repo)); err != nil {
		return err
	} else if end.IsZero() {
		moves = append(moves, repo.RefUpdate{Ref: Ref(l.repo), New: beside})
	}
	return l.repo.UpdateRefs(ctx, "journal: forgotten", moves...)
}

// Count says how many entries there are.
func (l *Log) Count(ctx context.Context) (int, error) {
	end, err := l.repo.RefValue(ctx, Ref(l.repo))
	if err != nil || end.IsZero() {
		return 0, err
	}
	chain, err := l.chain(ctx, end)
	return len(chain), err
}

// link is an entry with its commit.
type link struct {
	id     repo.ID
	commit *repo.Commit
	entry  Entry
}

// chain reads the whole journal, oldest first.
func (l *Log) chain(ctx context.Context, end repo.ID) ([]link, error) {
	var chain []link
	for id := end; ; {
		c, err := l.repo.Commit(ctx, id)
		if err != nil {
			return nil, fmt.Errorf("read the journal: %w", err)
		}
		e, err := decode(c.Message)
		if err != nil {
			return nil, fmt.Errorf("read journal entry %s: %w", id.Short(), err)
		}
		chain = append(chain, link{id, c, e})
		if e.Number == 1 || len(c.Parents) == 0 || e.First {
			slices.Reverse(chain)
			return chain, nil
		}
		id = c.Parents[0]
	}
}

// Forget takes entries out for good, those for which forget says so, and what refers to
// them: no ref and no log keeps what only they kept. It gives how many went.
func (l *Log) Forget(ctx context.Context, forget func(Entry) bool) (int, error) {
	end, err := l.repo.RefValue(ctx, Ref(l.repo))
	if err != nil || end.IsZero() {
		return 0, err
	}
	chain, err := l.chain(ctx, end)
	if err != nil {
		return 0, err
	}
	gone := map[int]bool{}
	var last repo.ID
	rewritten := false
	for _, link := range chain {
		if forget(link.entry) || gone[link.entry.Of] {
			gone[link.entry.Number] = true
			rewritten = true
			continue
		}
		if rewritten {
			if last, err = l.relink(ctx, link, last); err != nil {
				return 0, err
			}
			continue
		}
		last = link.id
	}
	if !rewritten {
		return 0, nil
	}
	return len(gone), l.replaceRef(ctx, end, last)
}

// relink writes an entry's commit with another one before it; with none it is the first.
func (l *Log) relink(ctx context.Context, link link, before repo.ID) (repo.ID, error) {
	c := *link.commit
	others := c.Parents
	if link.entry.Number != 1 && !link.entry.First {
		others = c.Parents[1:]
	}
	c.Parents = slices.Clone(others)
	e := link.entry
	e.First = before.IsZero()
	if !e.First {
		c.Parents = append([]repo.ID{before}, others...)
	}
	message, err := encode(e)
	if err != nil {
		return repo.ID{}, err
	}
	c.Message = message
	return l.repo.WriteCommit(ctx, &c)
}

// replaceRef lets the journal end elsewhere, with a log that begins there.
func (l *Log) replaceRef(ctx context.Context, old, new repo.ID) error {
	const why = "journal: forgotten"
	ref, beside := Ref(l.repo), besideRef(l.repo)
	if new.IsZero() {
		return l.repo.UpdateRefs(ctx, why, repo.RefUpdate{Ref: ref, Old: old})
	}
	if err := l.repo.UpdateRefs(ctx, why, repo.RefUpdate{Ref: beside, New: new}, repo.RefUpdate{Ref: ref, Old: old}); err != nil {
		return err
	}
	return l.repo.UpdateRefs(ctx, why, repo.RefUpdate{Ref: ref, New: new}, repo.RefUpdate{Ref: beside, Old: new})
}

// ParseAge reads how long entries are kept, such as 90d or 36h.
func ParseAge(text string) (time.Duration, error) {
	if days, ok := strings.CutSuffix(text, "d"); ok {
		if n, err := strconv.Atoi(days); err == nil && n >= 0 {
			return time.Duration(n) * 24 * time.Hour, nil
		}
	}
	age, err := time.ParseDuration(text)
	if err != nil || age < 0 {
		return 0, fmt.Errorf("%q is no age such as 90d or 36h", text)
	}
	return age, nil
}
