package tray

import (
	"slices"

	"bastel/internal/merge"
	"bastel/internal/repo"
)

// version is what a path holds at a layer: the zero value is nothing. The data is nothing where the content is too large to
// be read, and the id is zero while nothing has stored the content.
type version struct {
	Mode repo.Mode
	ID   repo.ID
	data []byte
}

func (v version) same(o version) bool { return v.Mode == o.Mode && v.ID == o.ID }

// textual says whether lines can be told apart in it.
func (v version) textual() bool {
	return v.Mode == repo.ModeNone || v.Mode.IsFile() && !merge.IsBinary(v.data) && (v.data != nil || v.ID.IsZero())
}

// aspect is what of a version changes by itself: whether a file is executable apart from what it holds.
type aspect uint8

const (
	modeAspect    aspect = 1 << iota
	contentAspect        // of a text the weave says it
)

// versionChange is what a layer makes of a version, apart from the lines of a text.
type versionChange struct {
	At       Layer
	Aspect   aspect
	Old, New version
}

// applied is the version once it is changed.
func (c versionChange) applied(v version) version {
	if c.Aspect&modeAspect != 0 {
		v.Mode = c.New.Mode
	}
	if c.Aspect&contentAspect != 0 {
		v.ID, v.data = c.New.ID, c.New.data
	}
	return v
}

// idle says that it leaves everything as it is.
func (c versionChange) idle() bool {
	return (c.Aspect&modeAspect == 0 || c.Old.Mode == c.New.Mode) && (c.Aspect&contentAspect == 0 || c.Old.ID == c.New.ID)
}

// ofPresence says that it makes a file or takes it away.
func (c versionChange) ofPresence() bool {
	return c.Old.Mode == repo.ModeNone || c.New.Mode == repo.ModeNone
}

// buildsOn is the layer, after another one, of an earlier change of the same aspect; ok is false where there is none.
func (c versionChange) buildsOn(earlier []versionChange, at Layer) (Layer, bool) {
	for _, e := range earlier {
		if e.Aspect&c.Aspect != 0 && at < e.At {
			return e.At, true
		}
	}
	return 0, false
}

// inOrder makes one change of those that change the same and happen at once, or not in their order any more.
func inOrder(changes []versionChange) []versionChange {
	for i := 0; i < len(changes); i++ {
		for j := i + 1; j < len(changes); j++ {
			a, b := changes[i], changes[j]
			if a.Aspect&b.Aspect != 0 && a.At >= b.At {
				changes[j] = versionChange{a.At, a.Aspect | b.Aspect, a.Old, b.New}
				changes = slices.Delete(changes, i, i+1)
				i = -1
				break
			}
		}
	}
	return slices.DeleteFunc(changes, versionChange.idle)
}
