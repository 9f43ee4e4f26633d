package merge

import (
	"bytes"
	"cmp"
	"context"
	"slices"
	"strings"

	"bastel/internal/diff"
	"bastel/internal/repo"
)

// Kind says how two sides conflict at a path.
type Kind string

// The kinds of conflicts between trees.
const (
	Content      Kind = "content"       // both changed the same lines
	AddAdd       Kind = "add/add"       // both added the file, with different content
	ModifyDelete Kind = "modify/delete" // one changed it, the other deleted it
	FileFolder   Kind = "file/folder"   // a file on one side, a folder on the other
	ModeKind     Kind = "mode"          // both made it anew, one executable and one not
	Binary       Kind = "binary"        // both changed a file that is not text
	Symlink      Kind = "symlink"       // both changed where a link points
	Submodule    Kind = "submodule"     // both moved a submodule
	TypeKind     Kind = "type"          // file, link or submodule: the sides disagree
	RenameRename Kind = "rename/rename" // both renamed it, to different names
	TwoToOne     Kind = "two to one"    // each renamed another file to the same name
	RenameDelete Kind = "rename/delete" // one renamed it, the other deleted it
	Unaccounted  Kind = "unaccounted"   // a fault of merging itself: what a side did is not in the outcome
)

// Conflict is a path at which two trees cannot be merged. Absent sides are zero.
type Conflict struct {
	Path              string
	Kind              Kind
	Base, Left, Right repo.Entry
	From              string // the path in the base, where that is another one
	// of RenameRename: the right side's name, Path being the left's; of TwoToOne: what the right side renamed, From
	// being the left's
	Other  string
	Chunks []Chunk // of Content, AddAdd and TwoToOne: the text as far as it is settled
	NoBase bool    // the common ancestors disagree in the file: its base, marker lines and all, is nobody's text
}

// Regions gives the open regions of a conflict.
func (c Conflict) Regions() []Region { return Regions(c.Chunks) }

// Rule is what the repository's attributes say of how a path is to be merged.
type Rule struct {
	Driver     string // empty: the merge of texts
	MarkerSize int    // of the marker lines in an editor; 0: the usual 7
	// Normal is a content as it would be stored today, where versions from before attributes said so are to be brought to one form
	// before they are merged; nil: they are merged as they are.
	Normal func(data []byte) []byte
	// Program merges in place of a driver; nil: there is none. Clean is false where it leaves something open.
	Program func(ctx context.Context, base, left, right []byte) (merged []byte, clean bool, err error)
}

// The drivers there are.
const (
	BinaryDriver = "binary" // never merged: a conflict where both sides changed it
	UnionDriver  = "union"  // where both sides changed lines, both stay
)

// Options is what a merge can be told besides the trees.
type Options struct {
	// Rule looks up the rule for a path; nil: all are merged as texts.
	Rule func(ctx context.Context, path string) (Rule, error)
	// Moved says whether the left side can have renamed one path to the other; nil: any.
	// Where commits change places, a file that is not there yet looks like one that
	// went.
	Moved func(ctx context.Context, from, to string) (bool, error)
	// Folders says what becomes of files that one side put into a folder which the other renamed.
	Folders FolderRule
	// Contains says whether the history of one commit of a submodule is known to hold another; nil: none is.
	Contains func(ctx context.Context, path string, newer, older repo.ID) bool
	// Renormalize has rules' Normal be asked for, where one side deleted what the other only brought to another form, too.
	Renormalize bool
	// Faulty is told of outcomes that do not hold all that went in, which are faults of this package; nil: nobody is.
	Faulty func(ctx context.Context, base, left, right repo.ID, at []Conflict)
}

// FolderRule is what the setting merge.directoryRenames asks for.
type FolderRule uint8

// The rules there are.
const (
	FoldersFollow FolderRule = iota // the file goes along, and that is said
	FoldersAsk                      // a conflict
	FoldersStay                     // the file stays where it was put
)

// FolderRuleOf reads the setting's value.
func FolderRuleOf(value string) FolderRule {
	switch {
	case strings.EqualFold(value, "conflict"):
		return FoldersAsk
	case !repo.Truth(value, true):
		return FoldersStay
	}
	return FoldersFollow
}

// Merged is the outcome of merging trees.
type Merged struct {
	Tree      repo.ID
	Conflicts []Conflict
	Followed  []Move // renames of one side that the other side's changes followed
}

// Objects is what trees are read from and written to.
type Objects interface {
	Tree(ctx context.Context, id repo.ID) (repo.Tree, error)
	Entry(ctx context.Context, folder repo.ID, name string) (repo.Entry, error)
	Differences(ctx context.Context, old, new repo.ID) ([]repo.EntryPair, error) // of two folders
	Blob(ctx context.Context, id repo.ID) ([]byte, error)
	PutTree(tree repo.Tree) repo.ID
	Put(kind repo.Kind, data []byte) repo.ID
	Prefetch(ctx context.Context, ids []repo.ID) // begins to read what will be asked for, in that order
}

// Trees merges the changes from base to left and from base to right. Folders that
// are the same on two sides are not read, so the cost follows what changed. At
// conflicts the resulting tree has the left side's entry. Renames are looked for where
// something met that they could explain.
func Trees(ctx context.Context, objects Objects, base, left, right repo.ID) (repo.ID, []Conflict, error) {
	merged, err := TreesWith(ctx, objects, Options{}, base, left, right)
	return merged.Tree, merged.Conflicts, err
}

// TreesWith does so with options.
func TreesWith(ctx context.Context, objects Objects, options Options, base, left, right repo.ID) (Merged, error) {
	switch {
	case left == right, base == right:
		return Merged{Tree: left}, nil
	case base == left:
		return Merged{Tree: right}, nil
	}
	m := treeMerge{objects: objects, options: options}
	var c comparison
	comparing, stop := context.WithCancel(ctx)
	defer stop()
	m.suspected = func() { c.begin(comparing, objects, base, left, right) }
	tree, err := m.root(ctx, base, left, right)
	if err != nil {
		stop()
	}
	sides, failed := c.end()
	if err = cmp.Or(err, failed); err != nil {
		return Merged{}, err
	}
	ids, merged := [3]repo.ID{base, left, right}, Merged{Tree: tree, Conflicts: m.conflicts}
	if m.suspect {
		if merged, err = m.withRenames(ctx, merged, ids, sides); err != nil {
			return Merged{}, err
		}
	}
	return guarded(ctx, objects, options, ids, merged)
}

type treeMerge struct {
	objects   Objects
	options   Options
	conflicts []Conflict
	suspect   bool   // something met that a rename could explain
	suspected func() // told so the first time, if set
}

// suspectIf notes that something met that a rename could explain.
func (m *treeMerge) suspectIf(could bool) {
	if !could || m.suspect {
		return
	}
	m.suspect = true
	if m.suspected != nil {
		m.suspected()
	}
}

func (m *treeMerge) root(ctx context.Context, base, left, right repo.ID) (repo.ID, error) {
	m.objects.Prefetch(ctx, present(base, left, right))
	tree, err := m.folder(ctx, "", base, left, right)
	if err == nil && tree.IsZero() {
		tree = m.objects.PutTree(nil)
	}
	return tree, err
}

// triple is one name on the three sides.
type triple struct{ base, left, right repo.Entry }

// folder merges one folder; the zero id stands for one without entries, on the sides and in the outcome. What the right side
// leaves as it was in the base is the left side's, whatever that is.
func (m *treeMerge) folder(ctx context.Context, prefix string, base, left, right repo.ID) (repo.ID, error) {
	pairs, err := m.objects.Differences(ctx, base, right)
	if err != nil {
		return repo.ID{}, err
	}
	tree, err := m.objects.Tree(ctx, left)
	if err != nil {
		return repo.ID{}, err
	}
	triples := withLeft(pairs, tree)
	m.objects.Prefetch(ctx, toRead(triples))
	changed := map[string]repo.Entry{}
	for _, t := range triples {
		entry, err := m.entry(ctx, prefix, t)
		if err != nil {
			return repo.ID{}, err
		}
		if !entry.Same(t.left) {
			changed[t.name()] = entry
		}
	}
	if len(changed) == 0 && len(tree) > 0 {
		return left, nil
	}
	if tree = tree.With(changed); len(tree) == 0 {
		return repo.ID{}, nil
	}
	return m.objects.PutTree(tree), nil
}

// withLeft adds what the left side has to what differs between base and right, by names: a file that became a folder is two
// differences, and one triple.
func withLeft(pairs []repo.EntryPair, left repo.Tree) []triple {
	triples := make([]triple, 0, len(pairs))
	at := make(map[string]int, len(pairs))
	for _, p := range pairs {
		name := cmp.Or(p.Old.Name, p.New.Name)
		i, there := at[name]
		if !there {
			i, at[name] = len(triples), len(triples)
			triples = append(triples, triple{left: left.Named(name)})
		}
		if !p.Old.IsZero() {
			triples[i].base = p.Old
		}
		if !p.New.IsZero() {
			triples[i].right = p.New
		}
	}
	return triples
}

// toRead are the folders and files that will be merged.
func toRead(triples []triple) (ids []repo.ID) {
	for _, t := range triples {
		both := !t.left.IsZero() && !t.right.IsZero()
		if !t.oneSided() && (t.all(isTreeOrAbsent) || both && t.all(isFileOrAbsent)) {
			ids = append(ids, present(t.base.ID, t.left.ID, t.right.ID)...)
		}
	}
	return ids
}

func (t triple) name() string {
	for _, e := range []repo.Entry{t.left, t.right, t.base} {
		if !e.IsZero() {
			return e.Name
		}
	}
	return ""
}

// oneSided says that one side's entry is the result, or both sides have the same, so that none of them is read.
func (t triple) oneSided() bool {
	return t.left.Same(t.right) || t.base.Same(t.right) || t.base.Same(t.left)
}

// present are the ids, or paths, that are not zero.
func present[T repo.ID | string](list ...T) []T {
	var none T
	return slices.DeleteFunc(list, func(one T) bool { return one == none })
}

// entry merges one name; the zero entry says that it is gone.
func (m *treeMerge) entry(ctx context.Context, prefix string, t triple) (repo.Entry, error) {
	switch {
	case t.left.Same(t.right):
		// Both sides deleted it, or something in it, and one of them may have put it elsewhere.
		m.suspectIf(t.left.IsZero() || isTree(t.base))
		return t.left, nil
	case t.base.Same(t.right):
		return t.left, nil
	case t.base.Same(t.left):
		return t.right, nil
	}
	path := prefix + t.name()
	if t.all(isTreeOrAbsent) {
		return m.subfolder(ctx, path, t)
	}
	// A folder that only one side still knows is compared file by file; mixed with
	// a file on the other side, that is a conflict of its own kind.
	if isTree(t.left) != isTree(t.right) && !t.left.IsZero() && !t.right.IsZero() {
		return m.conflict(path, FileFolder, t), nil
	}
	if t.left.IsZero() || t.right.IsZero() {
		present := t.left
		if t.left.IsZero() {
			present = t.right
		}
		// One side deleted what the other replaced by something of another form:
		// the old form is gone on both, the new one is in nobody's way. Either may have put elsewhere what was there.
		if !t.base.IsZero() && isTree(t.base) != isTree(present) {
			m.suspectIf(true)
			return present, nil
		}
		same, err := m.sameOnceNormal(ctx, path, t.base, present)
		if err != nil || same {
			return repo.Entry{}, err
		}
		return m.conflict(path, ModifyDelete, t), nil
	}
	if isTree(t.left) { // both made a folder of what was a file
		m.suspectIf(!t.base.IsZero())
		t.base = repo.Entry{}
		return m.subfolder(ctx, path, t)
	}
	return m.file(ctx, path, t)
}

func isTree(e repo.Entry) bool         { return e.Mode == repo.ModeTree }
func isTreeOrAbsent(e repo.Entry) bool { return e.IsZero() || isTree(e) }
func isFileOrAbsent(e repo.Entry) bool { return e.IsZero() || e.Mode.IsFile() }

func (t triple) all(is func(repo.Entry) bool) bool { return is(t.base) && is(t.left) && is(t.right) }

func (m *treeMerge) subfolder(ctx context.Context, path string, t triple) (repo.Entry, error) {
	tree, err := m.folder(ctx, path+"/", t.base.ID, t.left.ID, t.right.ID)
	if err != nil || tree.IsZero() {
		return repo.Entry{}, err
	}
	// Something came into a folder that one side has done away with, or renamed.
	m.suspectIf(!t.base.IsZero() && t.left.IsZero() != t.right.IsZero())
	return repo.Entry{Mode: repo.ModeTree, Name: t.name(), ID: tree}, nil
}

// file merges what is neither folder nor absent on both sides.
func (m *treeMerge) file(ctx context.Context, path string, t triple) (repo.Entry, error) {
	switch {
	case t.left.Mode == repo.ModeSymlink && t.right.Mode == repo.ModeSymlink:
		return m.conflict(path, Symlink, t), nil
	case t.left.Mode == repo.ModeSubmodule && t.right.Mode == repo.ModeSubmodule:
		return m.submodule(ctx, path, t), nil
	case !t.left.Mode.IsFile() || !t.right.Mode.IsFile():
		return m.conflict(path, TypeKind, t), nil
	case !isFileOrAbsent(t.base):
		t.base = repo.Entry{} // both made a file of what was something else
	}
	mode, agreed := mergeMode(t)
	result := repo.Entry{Mode: mode, Name: t.left.Name, ID: t.left.ID}
	switch {
	case t.base.ID == t.left.ID:
		result.ID = t.right.ID
	case t.base.ID == t.right.ID, t.left.ID == t.right.ID:
	default:
		merged, conflict, err := m.content(ctx, path, t)
		if err != nil {
			return repo.Entry{}, err
		}
		if conflict != nil {
			m.conflicts = append(m.conflicts, *conflict)
			return t.left, nil
		}
		result.ID = m.objects.Put(repo.KindBlob, merged)
	}
	if !agreed {
		return m.conflict(path, ModeKind, t), nil
	}
	return result, nil
}

// submodule takes the side whose commit holds the other one's, and the base's; else it is a conflict.
func (m *treeMerge) submodule(ctx context.Context, path string, t triple) repo.Entry {
	contains := func(newer, older repo.ID) bool { return m.options.Contains(ctx, path, newer, older) }
	if t.base.Mode != repo.ModeSubmodule || m.options.Contains == nil || !contains(t.left.ID, t.base.ID) || !contains(t.right.ID, t.base.ID) {
		return m.conflict(path, Submodule, t)
	}
	switch {
	case contains(t.left.ID, t.right.ID):
		return t.left
	case contains(t.right.ID, t.left.ID):
		return t.right
	}
	return m.conflict(path, Submodule, t)
}

// sameOnceNormal says whether a side only brought a file to another form.
func (m *treeMerge) sameOnceNormal(ctx context.Context, path string, base, side repo.Entry) (bool, error) {
	if !m.options.Renormalize || m.options.Rule == nil || !base.Mode.IsFile() || base.Mode != side.Mode {
		return false, nil
	}
	rule, err := m.options.Rule(ctx, path)
	if err != nil || rule.Normal == nil {
		return false, err
	}
	old, err := m.objects.Blob(ctx, base.ID)
	if err != nil {
		return false, err
	}
	new, err := m.objects.Blob(ctx, side.ID)
	return err == nil && bytes.Equal(rule.Normal(old), rule.Normal(new)), err
}

// mergeMode takes the side that changed the mode. Two new files may disagree.
func mergeMode(t triple) (repo.Mode, bool) {
	switch {
	case t.left.Mode == t.right.Mode, t.base.Mode == t.right.Mode:
		return t.left.Mode, true
	case t.base.Mode == t.left.Mode:
		return t.right.Mode, true
	}
	return t.left.Mode, false
}

func (m *treeMerge) content(ctx context.Context, path string, t triple) ([]byte, *Conflict, error) {
	var sides [3][]byte
	for i, e := range []repo.Entry{t.base, t.left, t.right} {
		data, err := m.objects.Blob(ctx, e.ID)
		if err != nil {
			return nil, nil, err
		}
		sides[i] = data
	}
	conflict := &Conflict{Path: path, Kind: Content, Base: t.base, Left: t.left, Right: t.right}
	if t.base.IsZero() {
		conflict.Kind = AddAdd
		m.suspectIf(true)
	}
	var rule Rule
	if m.options.Rule != nil {
		var err error
		if rule, err = m.options.Rule(ctx, path); err != nil {
			return nil, nil, err
		}
	}
	if rule.Normal != nil {
		for i := range sides {
			sides[i] = rule.Normal(sides[i])
		}
	}
	if rule.Program != nil {
		return byProgram(ctx, rule, conflict, sides)
	}
	if rule.Driver == BinaryDriver || slices.ContainsFunc(sides[:], IsBinary) {
		conflict.Kind = Binary
		return nil, conflict, nil
	}
	chunks := Text(sides[0], sides[1], sides[2])
	if rule.Driver == UnionDriver {
		chunks = united(chunks)
	}
	conflict.hideAncestors(sides[0], chunks)
	if merged, ok := Resolved(chunks); ok {
		return merged, nil, nil
	}
	conflict.Chunks = chunks
	return nil, conflict, nil
}

// byProgram has a program merge three versions. What it leaves open is shown as texts are; what it alone
// sees is one region, all of the file.
func byProgram(ctx context.Context, rule Rule, conflict *Conflict, sides [3][]byte) ([]byte, *Conflict, error) {
	merged, clean, err := rule.Program(ctx, sides[0], sides[1], sides[2])
	if err != nil || clean {
		return merged, nil, err
	}
	if slices.ContainsFunc(sides[:], IsBinary) {
		conflict.Kind = Binary
		return nil, conflict, nil
	}
	conflict.Chunks = Text(sides[0], sides[1], sides[2])
	conflict.hideAncestors(sides[0], conflict.Chunks)
	if _, settled := Resolved(conflict.Chunks); settled {
		var spans [3]Span
		var lines [3][][]byte
		for i, side := range sides {
			lines[i] = diff.Split(side)
			spans[i] = Span{0, len(lines[i])}
		}
		conflict.Chunks = []Chunk{{Region: &Region{BaseSpan: spans[0], LeftSpan: spans[1], RightSpan: spans[2], Base: lines[0],
			Left: lines[1], Right: lines[2]}}}
	}
	return nil, conflict, nil
}

func (m *treeMerge) conflict(path string, kind Kind, t triple) repo.Entry {
	m.suspectIf(kind == ModifyDelete || kind == FileFolder)
	m.conflicts = append(m.conflicts, Conflict{Path: path, Kind: kind, Base: t.base, Left: t.left, Right: t.right})
	return t.left
}

// IsBinary guesses from the first bytes, as the repository does, whether a
// content is not text.
func IsBinary(data []byte) bool {
	return bytes.IndexByte(data[:min(len(data), 8000)], 0) >= 0
}

// Difference is a path whose entry differs between two trees. Absent sides are zero.
type Difference struct {
	Path     string
	Old, New repo.Entry
}

// Compare lists the files that differ between two trees, in the order of the
// trees. Only folders that differ are read.
func Compare(ctx context.Context, objects Objects, old, new repo.ID) ([]Difference, error) {
	return compare(ctx, objects, "", old, new, nil)
}

func compare(ctx context.Context, objects Objects, prefix string, old, new repo.ID, list []Difference) ([]Difference, error) {
	if old == new {
		return list, nil
	}
	pairs, err := objects.Differences(ctx, old, new)
	if err != nil {
		return nil, err
	}
	var folders []repo.ID
	for _, p := range pairs {
		if isTree(p.Old) || isTree(p.New) {
			folders = append(folders, present(p.Old.ID, p.New.ID)...)
		}
	}
	objects.Prefetch(ctx, folders)
	for _, p := range pairs {
		name := cmp.Or(p.Old.Name, p.New.Name)
		if isTree(p.Old) || isTree(p.New) {
			if list, err = compare(ctx, objects, prefix+name+"/", p.Old.ID, p.New.ID, list); err != nil {
				return nil, err
			}
			continue
		}
		list = append(list, Difference{prefix + name, p.Old, p.New})
	}
	return list, nil
}

// Path merges one path by itself: what three trees have there. The zero entry says that
// it is gone; with a conflict it is the left side's.
func Path(ctx context.Context, objects Objects, options Options, path string, base, left, right repo.Entry) (repo.Entry, []Conflict,
	error) {
	m := treeMerge{objects: objects, options: options}
	prefix := path[:len(path)-len(name(path))]
	for _, e := range []*repo.Entry{&base, &left, &right} {
		if !e.IsZero() {
			e.Name = name(path)
		}
	}
	entry, err := m.entry(ctx, prefix, triple{base, left, right})
	if err != nil {
		return entry, nil, err
	}
	return entry, m.conflicts, lookAtBases(ctx, objects, m.conflicts)
}
