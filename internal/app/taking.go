package app

import (
	"strings"

	"bastel/internal/repo"
	"bastel/internal/tray"
)

// TakingFile notes which commits are being taken as loose changes while their conflicts
// are answered.
const TakingFile = "taking"

// UnfinishedTray reads into which tray they are being taken; Loose: into none.
func (a *App) UnfinishedTray() tray.Layer {
	for word := range strings.FieldsSeq(a.ReadState(TakingFile)) {
		if at, ok := tray.ParseLayer(word); ok {
			return at
		}
	}
	return tray.Loose
}

// UnfinishedTake reads which commits are being taken.
func (a *App) UnfinishedTake() (ids []repo.ID) {
	for word := range strings.FieldsSeq(a.ReadState(TakingFile)) {
		if id, err := repo.ParseID(word); err == nil {
			ids = append(ids, id)
		}
	}
	return ids
}
