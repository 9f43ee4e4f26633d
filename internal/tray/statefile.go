package tray

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"

	"bastel/internal/diff"
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

// The format is a tree of blobs: stateFile says in JSON what is kept, and names the blobs with the weaves of texts; contents that
// only a draft has are there so that they are not pruned.
const (
	stateFormat = "bastel-trays/1"
	stateFile   = "trays.json"
)

// storedState is what stateFile holds.
type storedState struct {
	Format   string
	Messages map[string]string // by the tray's letter
	Authors  map[string]string `json:",omitempty"`
	Files    []storedFile
}

// storedFile is a file as it was sorted, with what it held then.
type storedFile struct {
	Path, From        []byte // bytes: they need not be text
	Renamed           Layer
	Head, Index, Work storedVersion
	Events            []storedChange
	Weave             string // the name of the blob that holds it; empty: none
	weave             weave
}

type storedVersion struct {
	Mode  repo.Mode
	ID    repo.ID
	Stamp string `json:",omitempty"`
}

type storedChange struct {
	At       Layer
	Part     aspect
	Old, New storedVersion
}

// storedRun is a run of a weave's lines that come and go with the same layers.
type storedRun struct {
	Born, Dies Layer
	Text       []byte // bytes: it need not be text
}

func asStored(v version, stamp string) storedVersion {
	if v.Mode == repo.ModeNone {
		return storedVersion{}
	}
	return storedVersion{Mode: v.Mode, ID: v.ID, Stamp: stamp}
}

// stored is the file as it is sorted now. What the index holds by now is the file's text at tray A.
func (f *LayeredFile) stored(r *repo.Repo) storedFile {
	hashed := func(v version) version {
		if v.Mode != repo.ModeNone && v.data != nil {
			v.ID = r.HashObject(repo.KindBlob, v.data)
		}
		return v
	}
	s := storedFile{Path: []byte(f.Path), From: []byte(f.From), Renamed: f.Renamed, Head: asStored(hashed(f.at(Head)), ""),
		Index: asStored(hashed(f.at(A)), ""), Work: asStored(f.work, f.stamp)}
	if !f.whole {
		s.weave = f.weave
	}
	for _, c := range f.changes {
		s.Events = append(s.Events, storedChange{c.At, c.Aspect, asStored(c.Old, ""), asStored(c.New, "")})
	}
	return s
}

// ErrUnreadable is a state of the trays that this version cannot read.
var ErrUnreadable = errors.New("it is no state of trays of this version")

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

// KeptAt reads it from a tree.
func KeptAt(ctx context.Context, r *repo.Repo, id repo.ID) (*State, error) {
	kept, err := keptAt(ctx, r, id)
	if err != nil {
		return nil, fmt.Errorf("read the trays, %s: %w", Ref(r), err)
	}
	return kept, nil
}

func keptAt(ctx context.Context, r *repo.Repo, id repo.ID) (*State, error) {
	blobs, err := blobsOf(ctx, r, id)
	if err != nil {
		return nil, err
	}
	var stored storedState
	if err := json.Unmarshal(blobs[stateFile], &stored); err != nil {
		return nil, errors.Join(err, ErrUnreadable)
	}
	if stored.Format != stateFormat {
		return nil, fmt.Errorf("the format is %q, and this Bastel reads %q: %w", stored.Format, stateFormat, ErrUnreadable)
	}
	k := NothingKept()
	k.ID = id
	k.Messages, k.Authors = byLayer(stored.Messages), byLayer(stored.Authors)
	for _, file := range stored.Files {
		if file.Weave != "" {
			if file.weave, err = decodeWeave(blobs[file.Weave]); err != nil {
				return nil, fmt.Errorf("%q: %w", file.Path, errors.Join(err, ErrUnreadable))
			}
		}
		k.files[string(file.Path)] = file
	}
	return k, nil
}

// blobsOf reads the blobs of a tree without folders, by their names.
func blobsOf(ctx context.Context, r *repo.Repo, id repo.ID) (map[string][]byte, error) {
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
	blobs := map[string][]byte{}
	for i, e := range tree {
		blobs[e.Name] = objects[i].Data
	}
	return blobs, nil
}

func byLayer(byLetter map[string]string) map[Layer]string {
	texts := map[Layer]string{}
	for letter, text := range byLetter {
		if l, ok := ParseLayer(letter); ok {
			texts[l] = text
		}
	}
	return texts
}

func byLetter(texts map[Layer]string) map[string]string {
	letters := map[string]string{}
	for l, text := range texts {
		if text != "" {
			letters[l.String()] = text
		}
	}
	return letters
}

// Store writes the state as a tree and gives its id: zero if there is nothing to keep.
func (k *State) Store(ctx context.Context, r *repo.Repo) (repo.ID, error) {
	state := storedState{Format: stateFormat, Messages: byLetter(k.Messages), Authors: byLetter(k.Authors)}
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
		file := k.files[path]
		file.Weave = ""
		if file.weave != nil {
			data, err := encodeWeave(file.weave)
			if err != nil {
				return repo.ID{}, fmt.Errorf("keep the trays: %w", err)
			}
			file.Weave = fmt.Sprintf("text-%06d", n)
			put(file.Weave, data)
		}
		for i, c := range file.Events {
			if id := c.New.ID; c.At.IsDraft() && !id.IsZero() && c.New.Mode != repo.ModeSubmodule && !kept[id] {
				kept[id] = true
				tree = append(tree, repo.Entry{Mode: repo.ModeFile, Name: fmt.Sprintf("blob-%06d-%d", n, i), ID: id})
			}
		}
		state.Files = append(state.Files, file)
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

// encodeWeave writes a weave as JSON.
func encodeWeave(w weave) ([]byte, error) {
	var runs []storedRun
	for i, line := range w {
		last := len(runs) - 1
		// A line without an end would be one with the line after it.
		if i > 0 && runs[last].Born == line.Born && runs[last].Dies == line.Dies && bytes.HasSuffix(runs[last].Text, []byte("\n")) {
			runs[last].Text = append(runs[last].Text, line.Text...)
			continue
		}
		runs = append(runs, storedRun{line.Born, line.Dies, bytes.Clone(line.Text)})
	}
	data, err := json.Marshal(runs)
	if err != nil {
		return nil, fmt.Errorf("encode a text: %w", err)
	}
	return data, nil
}

// decodeWeave reads it again.
func decodeWeave(data []byte) (weave, error) {
	var runs []storedRun
	if err := json.Unmarshal(data, &runs); err != nil {
		return nil, fmt.Errorf("decode a text: %w", err)
	}
	w := weave{}
	for _, run := range runs {
		for _, line := range diff.Split(run.Text) {
			w = append(w, woven{Text: line, Born: run.Born, Dies: run.Dies})
		}
	}
	return w, nil
}
