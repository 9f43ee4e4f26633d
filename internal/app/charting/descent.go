package charting

import (
	"errors"
	"time"

	"bastel/internal/repo"
)

// slop is how far the walk goes on after the last branch hangs, to see whether somebody's clock was wrong.
const slop = 24 * time.Hour

// reach is from where a commit can be reached.
type reach struct {
	place  int  // 1 + the position of the oldest commit of the line that has it in its history; 0: the line does not have it
	sent   bool // from what a remote has
	wanted bool // it is a branch's tip, or a branch's own commit is made on it
}

// descent is one walk down the history of the line, of branches, and of what remotes have, each commit before those that it is
// made on. What branches have beyond the line is known once it has passed the commit where they left it, so the nearest are
// known first.
type descent struct {
	line     []repo.ID // as far as the walk has come, newest first
	next     repo.ID   // the one that comes after; zero: the line is at its end
	position map[repo.ID]int
	own      map[repo.ID]repo.CommitParents // that the line's history does not have
	reached  map[repo.ID]reach              // of own commits, of wanted ones, and of those that are still to come
	passed   map[uint64]struct{}            // the beginnings of their ids

	waiting map[repo.ID]int // how many branches lead to a commit that is still to come
	open    int             // branches of which it is not known yet where they hang
	settled time.Time       // when the last commit was made that told of one
}

// newDescent begins at the line's tip, if there is a line.
func newDescent(target repo.ID, branches []Branch, sent []repo.ID) *descent {
	d := &descent{next: target, position: map[repo.ID]int{}, own: map[repo.ID]repo.CommitParents{}, reached: map[repo.ID]reach{},
		passed: map[uint64]struct{}{}, waiting: map[repo.ID]int{}, open: len(branches)}
	for _, b := range branches {
		d.waiting[b.Tip]++
		d.reached[b.Tip] = reach{wanted: true}
	}
	for _, tip := range sent {
		r := d.reached[tip]
		r.sent = true
		d.reached[tip] = r
	}
	return d
}

// errOrder is returned where a commit came before one that is made on it: by their dates, the parent is not the older one.
var errOrder = errors.New("a commit came before one that is made on it")

// visit takes the next commit. It says whether that tells where a branch hangs. Errors: errOrder.
func (d *descent) visit(c repo.DatedCommit) (bool, error) {
	r := d.reached[c.ID]
	if c.ID == d.next {
		d.position[c.ID] = len(d.line)
		d.line = append(d.line, c.ID)
		r.place = len(d.line)
		d.next = repo.ID{}
		if len(c.Parents) > 0 {
			d.next = c.Parents[0]
		}
	}
	if r.place == 0 {
		d.own[c.ID] = c.CommitParents
	}
	d.reached[c.ID] = r
	d.passed[c.ID.Prefix()] = struct{}{}
	for _, parent := range c.Parents {
		if _, early := d.passed[parent.Prefix()]; early {
			return false, errOrder
		}
		was := d.reached[parent]
		d.reached[parent] = reach{place: max(was.place, r.place), sent: was.sent || r.sent, wanted: was.wanted || r.place == 0}
	}
	if r.place > 0 && !r.wanted {
		delete(d.reached, c.ID) // most of a long history
	}
	return d.follow(c, r.place > 0), nil
}

// follow goes on with the branches that lead to a commit, by its first parent.
func (d *descent) follow(c repo.DatedCommit, moored bool) bool {
	branches := d.waiting[c.ID]
	if branches == 0 {
		return false
	}
	delete(d.waiting, c.ID)
	if !moored && len(c.Parents) > 0 {
		d.waiting[c.Parents[0]] += branches
		return false
	}
	d.open -= branches
	d.settled = c.When
	return true
}

// done says that nothing that comes after the latest commit will tell more.
func (d *descent) done() bool { return d.open == 0 && (len(d.line) > 0 || d.next.IsZero()) }

// moored says whether it is known where a branch hangs; it is so for all that it sits on then.
func (d *descent) moored(tip repo.ID, known map[repo.ID]bool) bool {
	var chain []repo.ID
	found := false
	for at := tip; ; {
		if is, seen := known[at]; seen {
			found = is
			break
		}
		c, own := d.own[at]
		if !own {
			_, waits := d.waiting[at]
			found = !waits
			break
		}
		chain = append(chain, at)
		if len(c.Parents) == 0 {
			break // roots of their own stand below the line, and come last
		}
		at = c.Parents[0]
	}
	for _, id := range chain {
		known[id] = found
	}
	return found
}

// mooring is the commit of the line that first had a commit of its history; zero: the line does not have that one.
func (d *descent) mooring(id repo.ID) repo.ID {
	if place := d.reached[id].place; place > 0 {
		return d.line[place-1]
	}
	return repo.ID{}
}
