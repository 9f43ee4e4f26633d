package app

import (
	"strings"

	"bastel/internal/repo"
)

// TakingFile notes which commits are being taken as loose changes while their conflicts
// are answered.
const TakingFile = "taking"

// UnfinishedTake reads which commits are being taken.
func (a *App) UnfinishedTake() (ids []repo.ID) {
	for word := range strings.FieldsSeq(a.ReadState(TakingFile)) {
		if id, err := repo.ParseID(word); err == nil {
			ids = append(ids, id)
		}
	}
	return ids
}
