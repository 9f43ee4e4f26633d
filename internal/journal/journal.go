// Package journal records what Bastel did, so that it can be taken back.
//
// The journal is a chain of commits under one top-level ref of the repository. An entry's
// commit has the entry as its message and, as parents, the entry before and the
// commits that the branch had before and after: whatever the journal can take
// back is thereby kept from being pruned. How something is taken back is left to
// the use cases.
//
// Its tests promise: entries keep what they speak of from being pruned, also in linked working trees.
package journal

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"bastel/internal/repo"
	"bastel/internal/wording"
)

// Ref is where the chain ends.
func Ref(r *repo.Repo) string { return r.OwnRef("JOURNAL") }

// Kind says what an entry records.
type Kind string

// The kinds of entries.
const (
	Commit  Kind = "commit"  // a new commit on a branch
	Loosen  Kind = "loosen"  // commits of a branch made changes again
	Home    Kind = "home"    // changes joined to earlier commits
	Sort    Kind = "sort"    // text that only a tray had was taken out of it
	Mend    Kind = "mend"    // conflicts of the working tree settled: Files, and Stages of the index
	Discard Kind = "discard" // loose changes thrown away, kept in Files
	Take    Kind = "take"    // changes of commits from elsewhere came into working files, kept in Files
	Apply   Kind = "apply"   // a branch rewritten by a plan
	Land    Kind = "land"    // a target moved forward to a branch; New is zero if the branch went
	Forward Kind = "forward" // a branch moved up to what was fetched
	Switch  Kind = "switch"  // HEAD went to another branch, Head
	Branch  Kind = "branch"  // branches were made, renamed or deleted, Others
	Move    Kind = "move"    // a branch was put at another commit
	End     Kind = "end"     // what another tool had begun was given up or taken over, State
	Fetch   Kind = "fetch"   // branches that are gone on a remote went from what is known of it
	Push    Kind = "push"    // about to be pushed
	Pushed  Kind = "pushed"  // the answer to the push in Of
	Undo    Kind = "undo"    // the entry in Of was taken back
	Redo    Kind = "redo"    // the entry in Of was done again
	Passed  Kind = "passed"  // the entry in Of cannot be undone: undo goes on before it
	Void    Kind = "void"    // the entry in Of was never carried out
)

// Noun is what the kind is called in a sentence, after "the".
func (k Kind) Noun() string {
	nouns := map[Kind]string{Loosen: "loosening", Home: "joining of hunks", Sort: "move between trays", Mend: "resolving", End: "ending",
		Land:    "landing",
		Forward: "move forward", Branch: "change of branches", Move: "move of the branch"}
	return cmp.Or(nouns[k], string(k))
}

// Outcome is what became of a push.
type Outcome string

// The outcomes.
const (
	Sent      Outcome = "sent"
	TakenBack Outcome = "taken_back"
	NotSent   Outcome = "not_sent"
	Unknown   Outcome = "unknown" // the answer was lost: the next fetch tells
)

// Entry is one record.
type Entry struct {
	Number   int            `json:"number"`
	Kind     Kind           `json:"kind"`
	Time     time.Time      `json:"time"`
	Worktree string         `json:"worktree"` // the name of the working tree it happened in
	Ref      string         `json:"ref"`
	Old      repo.ID        `json:"old"`
	New      repo.ID        `json:"new"`
	Title    string         `json:"title"` // for people
	Of       int            `json:"of,omitempty"`
	First    bool           `json:"first,omitempty"`    // those before it were forgotten
	Pairs    []repo.Mapping `json:"pairs,omitempty"`    // of an apply: each source and what it became
	Taken    []repo.Mapping `json:"taken,omitempty"`    // of an apply: each commit from elsewhere and what it became
	Files    []File         `json:"files,omitempty"`    // working files that changed
	Raw      bool           `json:"raw,omitempty"`      // their contents afterwards are bytes of the disk, without filters
	Index    []File         `json:"index,omitempty"`    // paths of the index that changed along
	Stages   []Stage        `json:"stages,omitempty"`   // of a mend: what was unsettled before
	During   repo.ID        `json:"during,omitzero"`    // of a mend: what was merged, picked or taken back then; zero: a stash
	State    []StateFile    `json:"state,omitempty"`    // what the repository keeps of an operation under way, where that changed
	Others   []RefMove      `json:"others,omitempty"`   // refs that moved along
	Remote   string         `json:"remote,omitempty"`   // of a push: where it went
	Outcome  Outcome        `json:"outcome,omitempty"`  // of an answer to a push
	Said     string         `json:"said,omitempty"`     // of an answer to a push: what the server said
	TraysOld repo.ID        `json:"trays_old,omitzero"` // how the trays were kept before and after
	TraysNew repo.ID        `json:"trays_new,omitzero"`
	Away     bool           `json:"away,omitempty"`    // of a landing: the branch was not checked out, and HEAD stays
	Head     []string       `json:"head,omitempty"`    // of a switch: the branch that HEAD was on, empty for none, and the one it went to
	Renamed  []string       `json:"renamed,omitempty"` // a branch's name before, and the one that it got: its settings follow
	// Of branches that went, or got another name: what is kept by their names.
	Trails []Trail `json:"trails,omitempty"`
	// Of an undo or a redo: what comes back with branches that are there again.
	TrailsBack []Trail `json:"trails_back,omitempty"`
	// Of a switch: what was put aside with the branch that was left, each file and each path of the index with what the branch's
	// commit has there afterwards, and the entries whose files came back.
	Aside      []File `json:"aside,omitempty"`
	AsideIndex []File `json:"aside_index,omitempty"`
	Back       []int  `json:"back,omitempty"`
	Plan       string `json:"plan,omitempty"` // of an apply: the plan; of its undo: the draft that there was then
	// Of an apply: what its answers took back of what others brought.
	TakesBack []LostWork `json:"takes_back,omitempty"`
	Keep      []repo.ID  `json:"-"` // blobs that the entry keeps from being pruned
}

// Trail is what the repository keeps by a branch's name.
type Trail struct {
	Ref      string      `json:"ref"`
	At       repo.ID     `json:"at"`
	Settings [][2]string `json:"settings,omitempty"` // keys and values
	Log      string      `json:"log,omitempty"`      // its reflog, as its file has it
}

// LostWork is what an answer took back of a commit that came with others, in one file.
type LostWork struct {
	Commit  repo.ID `json:"commit"`
	Author  string  `json:"author"`
	Subject string  `json:"subject"`
	Path    []byte  `json:"path"`
	Lines   int     `json:"lines"` // 0: the file is no text
	Mine    bool    `json:"mine,omitempty"`
	Entry   int     `json:"entry"` // of the plan, from 1
}

// Says names it for people.
func (l LostWork) Says() string {
	lines := wording.Count(l.Lines, "line")
	if l.Lines == 0 {
		lines = "the content"
	}
	return fmt.Sprintf("%s of %s (%s %q) in %s", lines, l.Author, l.Commit.Short(), l.Subject, l.Path)
}

// File is a path that an entry changed. Of a discard: the working file as it lay on
// disk before, and what the repository would store of it afterwards; of others what
// the index held. A mode of 0 says: not there.
type File struct {
	Path       []byte    `json:"path"` // bytes: a name need not be text
	BeforeMode repo.Mode `json:"before_mode"`
	Before     repo.ID   `json:"before"`
	AfterMode  repo.Mode `json:"after_mode"`
	After      repo.ID   `json:"after"`
	// Of a working file: its permissions before, and what lay on disk afterwards, where
	// filters make that another content than what the repository stores.
	Permissions uint32  `json:"permissions,omitempty"`
	AfterRaw    repo.ID `json:"after_raw,omitzero"`
	// Those that it gets, where they are not the same.
	AfterPermissions uint32 `json:"after_permissions,omitempty"`
}

// KeepsBefore says whether the contents that the entry's files had before are kept with it. A step back, or again, leaves that
// to the entry that it is about.
func (e Entry) KeepsBefore() bool { return !e.Raw || e.Kind == Switch || e.Kind == Take }

// Stage is an entry of the index for a path that was unsettled.
type Stage struct {
	Path   []byte    `json:"path"`
	Mode   repo.Mode `json:"mode"`
	ID     repo.ID   `json:"id"`
	Number int       `json:"number"`
}

// StateFile is a file that the repository keeps of an operation under way, by its name in the git folder. A zero id says: not there.
type StateFile struct {
	Name   string  `json:"name"`
	Before repo.ID `json:"before,omitzero"`
	After  repo.ID `json:"after,omitzero"`
}

// RefMove is another ref that an entry moved.
type RefMove struct {
	Ref string  `json:"ref"`
	Old repo.ID `json:"old"`
	New repo.ID `json:"new"`
}

// Log is a repository's journal.
type Log struct{ repo *repo.Repo }

// New opens the journal of a repository.
func New(r *repo.Repo) *Log { return &Log{r} }

// depth is how far back entries are read.
const depth = 500

// Entries lists the latest entries, newest first.
func (l *Log) Entries(ctx context.Context) ([]Entry, error) {
	end, err := l.repo.RefValue(ctx, Ref(l.repo))
	if err != nil || end.IsZero() {
		return nil, err
	}
	ids, err := l.repo.RevList(ctx, "--first-parent", fmt.Sprintf("--max-count=%d", depth), end.String())
	if err != nil {
		return nil, fmt.Errorf("read the journal: %w", err)
	}
	commits, err := l.repo.Commits(ctx, ids)
	if err != nil {
		return nil, fmt.Errorf("read the journal: %w", err)
	}
	var entries []Entry
	for i, c := range commits {
		e, err := decode(c.Message)
		if err != nil {
			// The last parent of the first entry is a commit of the user's.
			if i > 0 && (entries[i-1].Number == 1 || entries[i-1].First) {
				break
			}
			return nil, fmt.Errorf("read journal entry %s: %w", ids[i].Short(), err)
		}
		entries = append(entries, e)
		if e.Number == 1 || e.First {
			break
		}
	}
	return entries, nil
}

// Write makes an entry's commit and gives the ref update that adds it to the journal. The entry needs a commit
// that it is about, Old or New, or blobs to keep. The update belongs first in the transaction of what the
// entry records.
func (l *Log) Write(ctx context.Context, e Entry) (Entry, repo.RefUpdate, error) {
	var none repo.RefUpdate
	end, err := l.repo.RefValue(ctx, Ref(l.repo))
	if err != nil {
		return e, none, err
	}
	e.Number = 1
	c := &repo.Commit{}
	if !end.IsZero() {
		last, err := l.entry(ctx, end)
		if err != nil {
			return e, none, err
		}
		e.Number = last.Number + 1
		c.Parents = append(c.Parents, end)
	}
	for _, id := range []repo.ID{e.Old, e.New} {
		if id.IsZero() {
			continue
		}
		about, err := l.repo.Commit(ctx, id)
		if err != nil {
			return e, none, err
		}
		// Any tree that is there would do: an entry's content is its message.
		c.Tree = about.Tree
		c.Parents = append(c.Parents, id)
	}
	for _, other := range e.Others { // theirs are kept too
		for _, id := range []repo.ID{other.Old, other.New} {
			if !id.IsZero() && !slices.Contains(c.Parents, id) {
				c.Parents = append(c.Parents, id)
			}
		}
	}
	e.Time, e.Worktree = time.Now().Truncate(time.Second), l.repo.WorktreeName()
	if len(e.Keep) > 0 || !e.TraysOld.IsZero() || !e.TraysNew.IsZero() {
		if c.Tree, err = l.keep(ctx, e); err != nil {
			return e, none, err
		}
	}
	if c.Message, err = encode(e); err != nil {
		return e, none, err
	}
	// The journal is the program's own: it needs no identity of the user's.
	c.Author = fmt.Sprintf("Bastel <bastel@localhost> %d +0000", e.Time.Unix())
	c.Committer = c.Author
	id, err := l.repo.WriteCommit(ctx, c)
	return e, repo.RefUpdate{Ref: Ref(l.repo), New: id, Old: end}, err
}

// keep writes a tree that holds an entry's blobs, by number, and how the trays were.
func (l *Log) keep(ctx context.Context, e Entry) (repo.ID, error) {
	overlay := l.repo.NewOverlay()
	var tree repo.Tree
	for i, id := range e.Keep {
		tree = append(tree, repo.Entry{Mode: repo.ModeFile, Name: fmt.Sprintf("%08d", i), ID: id})
	}
	for name, id := range map[string]repo.ID{"trays-new": e.TraysNew, "trays-old": e.TraysOld} {
		if !id.IsZero() {
			tree = append(tree, repo.Entry{Mode: repo.ModeTree, Name: name, ID: id})
		}
	}
	slices.SortFunc(tree, repo.Compare)
	id := overlay.PutTree(tree)
	return id, overlay.Flush(ctx, id)
}

// Took says whether the journal has the entry of a commit, and gives it. An entry whose
// commit was never written, or never named, did not take place.
func (l *Log) Took(ctx context.Context, id repo.ID) (Entry, bool, error) {
	var none Entry
	if known, err := l.repo.Has(ctx, id); err != nil || !known {
		return none, false, err
	}
	entry, err := l.entry(ctx, id)
	if err != nil {
		return none, false, nil // whatever the note names, it is no entry
	}
	end, err := l.repo.RefValue(ctx, Ref(l.repo))
	if err != nil || end.IsZero() {
		return entry, false, err
	}
	took, err := l.repo.IsAncestor(ctx, id, end)
	return entry, took, err
}

func (l *Log) entry(ctx context.Context, id repo.ID) (Entry, error) {
	c, err := l.repo.Commit(ctx, id)
	if err != nil {
		return Entry{}, err
	}
	e, err := decode(c.Message)
	if err != nil {
		return e, fmt.Errorf("read journal entry %s: %w", id.Short(), err)
	}
	return e, nil
}

// encode writes an entry as a commit's message, with a subject for whoever looks.
func encode(e Entry) (string, error) {
	data, err := json.MarshalIndent(e, "", " ")
	if err != nil {
		return "", fmt.Errorf("write journal entry: %w", err)
	}
	subject := []rune(string(e.Kind) + ": " + strings.Join(strings.Fields(e.Title), " "))
	return string(subject[:min(len(subject), 60)]) + "\n\n" + string(data) + "\n", nil
}

// decode reads an entry from its commit's message: below the subject, which is for whoever looks.
func decode(message string) (e Entry, err error) {
	_, message, _ = strings.Cut(message, "\n\n")
	return e, json.Unmarshal([]byte(message), &e)
}

// State is what can be taken back and done again in one working tree.
type State struct {
	Done   []Entry // oldest first: the last is what undo takes back
	Undone []Entry // the last is what redo does again
}

// StateOf works through entries, which come newest first.
func StateOf(entries []Entry, worktree string) State {
	var s State
	never := map[int]bool{} // those that were taken back half way
	for _, e := range entries {
		never[e.Of] = never[e.Of] || e.Kind == Void
	}
	for i := len(entries) - 1; i >= 0; i-- {
		e := entries[i]
		if e.Worktree != worktree || never[e.Number] {
			continue
		}
		switch e.Kind {
		case Commit, Loosen, Home, Sort, Apply, Discard, Mend, Take, Land, Forward, Fetch, Switch,
			Branch, Move, End:
			s.Done, s.Undone = append(s.Done, e), nil
		case Undo:
			s.Done, s.Undone = shift(s.Done, s.Undone, e.Of)
		case Redo:
			s.Undone, s.Done = shift(s.Undone, s.Done, e.Of)
		case Passed:
			s.Done, _ = shift(s.Done, nil, e.Of)
		}
	}
	return s
}

// Unanswered lists the pushes of which it is not known what became, newest first: the answer
// was lost, or what waited for it was killed. Entries come newest first.
func Unanswered(entries []Entry) []Entry {
	known := map[int]bool{}
	var open []Entry
	for _, e := range entries {
		switch {
		case e.Kind == Pushed && e.Outcome != Unknown, e.Kind == Void:
			known[e.Of] = true
		case e.Kind == Push && !known[e.Number]:
			open = append(open, e)
		}
	}
	return open
}

// shift takes the entry with a number from one list to the end of another.
func shift(from, to []Entry, number int) ([]Entry, []Entry) {
	for i, e := range from {
		if e.Number == number {
			return append(append([]Entry{}, from[:i]...), from[i+1:]...), append(to, e)
		}
	}
	return from, to
}
