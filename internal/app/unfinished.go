package app

import (
	"bastel/internal/repo"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"time"
)

// Unfinished are texts that were being written, by what they are for (UnfinishedKey): they are
// there again after a crash.
type Unfinished map[string]UnfinishedText

// UnfinishedText is one of them.
type UnfinishedText struct {
	Text string    `json:"text"`
	When time.Time `json:"when"`
}

// unfinishedFile holds them.
const unfinishedFile = "writing.json"

// mostUnfinished is how many are kept: the latest ones.
const mostUnfinished = 20

// UnfinishedKey names a text by what it is for, and what it began with.
func UnfinishedKey(title, before string) string {
	sum := sha256.Sum256([]byte(title + "\x00" + before))
	return hex.EncodeToString(sum[:12])
}

// ReadUnfinished gives the texts that were being written when Bastel ended. What cannot be read is
// passed over.
func (a *App) ReadUnfinished() Unfinished {
	texts := Unfinished{}
	if json.Unmarshal([]byte(a.ReadState(unfinishedFile)), &texts) != nil {
		return Unfinished{}
	}
	return texts
}

// KeepUnfinished keeps them.
func (a *App) KeepUnfinished(texts Unfinished) error {
	if len(texts) == 0 {
		return a.WriteState(unfinishedFile, "")
	}
	keys := slices.SortedFunc(maps.Keys(texts), func(k, l string) int { return texts[l].When.Compare(texts[k].When) })
	kept := Unfinished{}
	for _, key := range keys[:min(len(keys), mostUnfinished)] {
		kept[key] = texts[key]
	}
	data, err := json.Marshal(kept)
	if err != nil {
		return fmt.Errorf("keep what is being written: %w", err)
	}
	return a.WriteState(unfinishedFile, string(data))
}

// OperationUnderWay is the commit that is merged, replayed, picked or taken back, where such an operation waits; zero: none does.
func (a *App) OperationUnderWay() (repo.ID, error) {
	for _, name := range []string{repo.MergeHead, repo.RebaseHead, repo.CherryPickHead, repo.RevertHead} {
		if id, _, err := a.Repo.OperationHead(name); err != nil || !id.IsZero() {
			return id, err
		}
	}
	return repo.ID{}, nil
}
