package tray

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"

	"bastel/internal/repo"
)

// Ref is where the trays of a working tree are kept: as a ref it moves in one
// transaction with the branch, and its log keeps what the trays hold from being pruned.
func Ref(r *repo.Repo) string { return RefOf(r, r.WorktreeName()) }

// RefOf is the ref of a working tree by its name.
func RefOf(r *repo.Repo, worktree string) string {
	if worktree == "main" {
		return r.OwnRef("TRAYS")
	}
	return r.OwnRef("TRAYS_" + repo.Letters([]byte(worktree)))
}

// stateFormat is the version of what lies there. The first one kept texts in Go's own encoding.
const (
	stateFormat      = "bastel-trays/2"
	firstStateFormat = "bastel-trays/1"
)

// State is how the changes of a working tree were sorted: the trays' messages, the authors of
// those that were commits before, and
// the sheets of which a tray from B on holds something.
type State struct {
	ID       repo.ID // of the tree that it was read from; zero: nothing is kept
	Messages map[Layer]string
	Authors  map[Layer]string // as a commit names them: "Name <address> seconds zone"
	files    map[string]storedFile
	recent   map[string]storedFile // how paths were sorted last, those in tray A alone too: not stored
}

// Remember takes over how paths were sorted last, so that equal lines stay where they were put.
func (k *State) Remember(last *State) {
	if last != nil {
		k.recent = maps.Clone(last.recent)
	}
}

// Forget has a tray neither message nor author any more.
func (k *State) Forget(l Layer) {
	delete(k.Messages, l)
	delete(k.Authors, l)
}

// storedFile is a sheet as it was left.
type storedFile struct {
	Path              []byte // bytes: a name need not be text
	From              []byte
	Renamed           Layer
	Head, Index, Work keptVersion // what it was sorted against
	Events            []keptEvent
	Weave             string // the name of the file that holds it; empty: none
	weave             weave
}

type keptVersion struct {
	Mode  repo.Mode
	ID    repo.ID
	Stamp string `json:",omitempty"`
}

type keptEvent struct {
	At       Layer
	Part     part
	Old, New keptVersion
}

// stateFile is the one that names all others.
const stateFile = "trays.json"

type keptState struct {
	Format   string
	Messages map[string]string // by the tray's letter
	Authors  map[string]string `json:",omitempty"`
	Sheets   []storedFile
}

// NothingKept is the state in which tray A is the only one.
func NothingKept() *State {
	return &State{Messages: map[Layer]string{}, Authors: map[Layer]string{}, files: map[string]storedFile{}, recent: map[string]storedFile{}}
}

// LoadKept reads how the changes were sorted.
func LoadKept(ctx context.Context, r *repo.Repo) (*State, error) {
	id, err := r.RefValue(ctx, Ref(r))
	if err != nil || id.IsZero() {
		return NothingKept(), err
	}
	kept, err := keptAt(ctx, r, id)
	if errors.Is(err, ErrUnreadable) || errors.Is(err, repo.ErrMissingObject) {
		// It keeps nobody from sorting; the ref's log has it still.
		kept, err = NothingKept(), nil
		kept.ID = id
	}
	if err != nil {
		return nil, fmt.Errorf("read the trays, %s: %w", Ref(r), err)
	}
	return kept, nil
}

// ErrUnreadable is a state of the trays that this version cannot read.
var ErrUnreadable = errors.New("it is no state of trays of this version")

// KeptAt reads it from a tree.
func KeptAt(ctx context.Context, r *repo.Repo, id repo.ID) (*State, error) {
	kept, err := keptAt(ctx, r, id)
	if err != nil {
		return nil, fmt.Errorf("read the trays, %s: %w", Ref(r), err)
	}
	return kept, nil
}

func keptAt(ctx context.Context, r *repo.Repo, id repo.ID) (*State, error) {
	k := NothingKept()
	k.ID = id
	tree, err := r.NewOverlay().Tree(ctx, id)
	if err != nil {
		return nil, err
	}
	ids := make([]repo.ID, len(tree))
	for i, e := range tree {
		ids[i] = e.ID
	}
	objects, err := r.Objects(ctx, ids)
	if err != nil {
		return nil, err
	}
	data := map[string][]byte{}
	for i, e := range tree {
		data[e.Name] = objects[i].Data
	}
	var state keptState
	if err := json.Unmarshal(data[stateFile], &state); err != nil {
		return nil, errors.Join(err, ErrUnreadable)
	}
	decode := decodeWeave
	switch state.Format {
	case stateFormat:
	case firstStateFormat:
		decode = decodeFirstWeave
	default:
		return nil, fmt.Errorf("the format is %q, and this Bastel reads %q: %w", state.Format, stateFormat, ErrUnreadable)
	}
	for letter, message := range state.Messages {
		if l, ok := ParseLayer(letter); ok {
			k.Messages[l] = message
		}
	}
	for letter, author := range state.Authors {
		if l, ok := ParseLayer(letter); ok {
			k.Authors[l] = author
		}
	}
	for _, sheet := range state.Sheets {
		if sheet.Weave != "" {
			if sheet.weave, err = decode(data[sheet.Weave]); err != nil {
				return nil, fmt.Errorf("%q: %w", sheet.Path, errors.Join(err, ErrUnreadable))
			}
		}
		k.files[string(sheet.Path)] = sheet
	}
	return k, nil
}

// Clone gives a copy to be changed.
func (k *State) Clone() *State {
	return &State{ID: k.ID, Messages: maps.Clone(k.Messages), Authors: maps.Clone(k.Authors), files: maps.Clone(k.files),
		recent: maps.Clone(k.recent)}
}

// Store writes the state as a tree and gives its id: zero if there is nothing to keep.
func (k *State) Store(ctx context.Context, r *repo.Repo) (repo.ID, error) {
	state := keptState{Format: stateFormat, Messages: map[string]string{}, Authors: map[string]string{}}
	for l, author := range k.Authors {
		state.Authors[l.String()] = author
	}
	for l, message := range k.Messages {
		if message != "" {
			state.Messages[l.String()] = message
		}
	}
	if len(k.files)+len(state.Messages)+len(state.Authors) == 0 {
		return repo.ID{}, nil
	}
	overlay := r.NewOverlay()
	var tree repo.Tree
	put := func(name string, data []byte) {
		tree = append(tree, repo.Entry{Mode: repo.ModeFile, Name: name, ID: overlay.Put(repo.KindBlob, data)})
	}
	kept := map[repo.ID]bool{}
	for n, path := range slices.Sorted(maps.Keys(k.files)) {
		sheet := k.files[path]
		sheet.Weave = ""
		if sheet.weave != nil {
			data, err := encodeWeave(sheet.weave)
			if err != nil {
				return repo.ID{}, fmt.Errorf("keep the trays: %w", err)
			}
			sheet.Weave = fmt.Sprintf("text-%06d", n)
			put(sheet.Weave, data)
		}
		for i, e := range sheet.Events {
			if id := e.New.ID; e.At.IsDraft() && !id.IsZero() && e.New.Mode != repo.ModeSubmodule && !kept[id] {
				kept[id] = true
				tree = append(tree, repo.Entry{Mode: repo.ModeFile, Name: fmt.Sprintf("blob-%06d-%d", n, i), ID: id})
			}
		}
		state.Sheets = append(state.Sheets, sheet)
	}
	data, err := json.Marshal(state)
	if err != nil {
		return repo.ID{}, fmt.Errorf("keep the trays: %w", err)
	}
	put(stateFile, data)
	slices.SortFunc(tree, repo.Compare)
	id := overlay.PutTree(tree)
	if err := overlay.Flush(ctx, id); err != nil {
		return repo.ID{}, fmt.Errorf("keep the trays: %w", err)
	}
	return id, nil
}

// Update gives the move of the ref from the state as it was read to a stored one; ok
// is false where there is nothing to move.
func (k *State) Update(r *repo.Repo, id repo.ID) (update repo.RefUpdate, ok bool) {
	return repo.RefUpdate{Ref: Ref(r), New: id, Old: k.ID}, id != k.ID
}

func keep(v version, stamp string) keptVersion {
	if v.Mode == repo.ModeNone {
		return keptVersion{}
	}
	return keptVersion{Mode: v.Mode, ID: v.ID, Stamp: stamp}
}

// note keeps how a sheet is sorted now, or forgets it where no draft holds any of it.
func (k *State) note(r *repo.Repo, s *LayeredFile) {
	sheet := s.keep(r)
	k.recent[s.Path] = sheet
	if k.files[s.Path] = sheet; len(s.drafts()) == 0 {
		delete(k.files, s.Path)
	}
}

// keep is the sheet as it is sorted now. What the index holds by now is the sheet's text at tray A.
func (s *LayeredFile) keep(r *repo.Repo) storedFile {
	stored := func(v version) version {
		if v.Mode != repo.ModeNone && v.data != nil {
			v.ID = r.HashObject(repo.KindBlob, v.data)
		}
		return v
	}
	sheet := storedFile{Path: []byte(s.Path), From: []byte(s.From), Renamed: s.Renamed,
		Head: keep(stored(s.at(Head)), ""), Index: keep(stored(s.at(A)), ""), Work: keep(s.work, s.stamp)}
	if !s.whole {
		sheet.weave = s.weave
	}
	for _, e := range s.events {
		sheet.Events = append(sheet.Events, keptEvent{e.At, e.Part, keep(e.Old, ""), keep(e.New, "")})
	}
	return sheet
}

// sort sorts a fresh sheet as it was sorted before. It says whether everything that
// the trays held is still there.
func (k *State) sort(s *LayeredFile) bool {
	kept, drafted := k.files[s.Path]
	if !drafted {
		kept = k.recent[s.Path]
	}
	if kept.Path == nil {
		return true
	}
	work := keep(s.work, s.stamp)
	if s.stamp != "" && work.Stamp == kept.Work.Stamp {
		work.ID = kept.Work.ID
	}
	same := keep(s.head, "") == kept.Head && keep(s.index, "") == kept.Index && work == kept.Work &&
		s.From == string(kept.From) && (s.Renamed == A) == (kept.Renamed == A) && s.whole == (kept.weave == nil) && s.Blocked == ""
	if !same {
		return !drafted || k.adopt(s, kept)
	}
	s.weave, s.Renamed, s.work.ID = kept.weave, kept.Renamed, work.ID
	versions := []version{s.head, s.index, s.work}
	filled := func(v keptVersion) version {
		for _, known := range versions {
			if known.ID == v.ID {
				return version{v.Mode, v.ID, known.data}
			}
		}
		return version{Mode: v.Mode, ID: v.ID}
	}
	s.events = nil
	for _, e := range kept.Events {
		s.events = append(s.events, event{e.At, e.Part, filled(e.Old), filled(e.New)})
	}
	return true
}

// adopt sorts what is still there of a path that has changed since.
func (k *State) adopt(s *LayeredFile, kept storedFile) bool {
	lost := 0
	if s.weave != nil && kept.weave != nil {
		s.weave, lost = s.weave.adopt(kept.weave)
	} else if len(kept.weave) > 0 {
		lost++
	}
	for _, e := range kept.Events {
		if !e.At.IsDraft() {
			continue
		}
		found := s.work.Mode == e.New.Mode && s.work.ID == e.New.ID && s.index.same(s.work) // settled
		for i, fresh := range s.events {
			if fresh.At == Loose && fresh.Part == e.Part && keep(fresh.New, "") == e.New {
				s.events[i].At, found = e.At, true
			}
		}
		if !found && s.whole {
			lost++
		}
	}
	if s.From != "" && s.From == string(kept.From) && s.Renamed == Loose && kept.Renamed.IsDraft() {
		s.Renamed = kept.Renamed
	}
	return lost == 0
}

// alone says that trays hold something of a path, and it is no renamed one.
func (k *State) alone(path string) bool {
	kept, drafted := k.files[path]
	return drafted && len(kept.From) == 0
}

// Paths lists the paths of which a draft holds something.
func (k *State) Paths() []string { return slices.Sorted(maps.Keys(k.files)) }

// Layers lists the drafts that hold something.
func (k *State) Layers() []Layer {
	found := map[Layer]bool{}
	for _, sheet := range k.files {
		s := LayeredFile{weave: sheet.weave, Renamed: sheet.Renamed, whole: sheet.weave == nil}
		for _, e := range sheet.Events {
			s.events = append(s.events, event{At: e.At, Part: e.Part, Old: version{Mode: e.Old.Mode}, New: version{Mode: e.New.Mode}})
		}
		for _, l := range s.drafts() {
			found[l] = true
		}
	}
	return slices.Sorted(maps.Keys(found))
}
