// Package review keeps what was read of a series of commits, and the remarks on its lines.
//
// Both hold on to content, not to commits: a rewriting makes new commits, and what was
// read of them, and did not change, stays read. Where the series comes from and where the
// record is kept is left to the use cases.
//
// Its tests promise: ticks and remarks follow their content through any rewriting.
package review

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"slices"
	"time"

	"bastel/internal/diff"
	"bastel/internal/repo"
	"bastel/internal/tray"
)

// Record is all that is kept.
type Record struct {
	Read     map[string]time.Time // by the key of a change: when it was read
	Remarks  []Remark
	Verdicts []Verdict
}

// Commit is one member of a series under review.
type Commit struct {
	ID      repo.ID
	Author  string // with the date, as it stands in the commit: it outlasts rewriting
	Subject string
	Files   []tray.File
	Keys    [][][]string // of each file's hunks: see Keys
}

// NewCommit is a commit with the keys of what it changes.
func NewCommit(id repo.ID, author, subject string, files []tray.File) Commit {
	return Commit{id, author, subject, files, KeysOf(files)}
}

// KeysOf gives the keys of several files.
func KeysOf(files []tray.File) [][][]string {
	keys := make([][][]string, len(files))
	for i, f := range files {
		keys[i] = Keys(f)
	}
	return keys
}

// Keys names the changes of each hunk of a file: by the path, the lines that come and go,
// and the line before and behind them. So a change keeps its name when hunks run together
// or move, and gets another when it, or what it stands between, is different. What has no
// lines is one change. Equal changes of one file are told apart by their order.
func Keys(f tray.File) [][]string {
	again := map[string]int{}
	keys := make([][]string, len(f.Hunks))
	for i, h := range f.Hunks {
		for _, text := range changes(h) {
			sum := sha256.Sum256(fmt.Appendf(nil, "%q %d %s", f.Path, again[text], text))
			again[text]++
			keys[i] = append(keys[i], hex.EncodeToString(sum[:12]))
		}
	}
	return keys
}

// changes gives the text of each run of changed lines in a hunk.
func changes(h tray.Hunk) []string {
	if !h.HasLines() {
		return []string{string(h.Kind) + h.ID}
	}
	var list []string
	for start := 0; start < len(h.Lines); {
		if h.Lines[start].Op == diff.Keep {
			start++
			continue
		}
		end := runEnd(h, start)
		var text bytes.Buffer
		for _, line := range h.Lines[max(start-1, 0):min(end+1, len(h.Lines))] {
			text.WriteByte(byte(line.Op))
			text.Write(line.Text)
		}
		list = append(list, text.String())
		start = end
	}
	return list
}

func runEnd(h tray.Hunk, start int) int {
	end := start
	for end < len(h.Lines) && h.Lines[end].Op != diff.Keep {
		end++
	}
	return end
}

// WasRead says of each hunk of a file, by its keys, whether it was read: all changes of it.
func (b Record) WasRead(keys [][]string) []bool {
	read := make([]bool, len(keys))
	for i, hunk := range keys {
		read[i] = !slices.ContainsFunc(hunk, func(key string) bool { return b.Read[key].IsZero() })
	}
	return read
}

// Tick notes of hunks of a file, by their ids, that they were read, or that they were not.
func (b *Record) Tick(f tray.File, keys [][]string, hunks map[string]bool, when time.Time) {
	for i, h := range f.Hunks {
		read, meant := hunks[h.ID]
		if !meant {
			continue
		}
		if b.Read == nil {
			b.Read = map[string]time.Time{}
		}
		for _, key := range keys[i] {
			if read {
				b.Read[key] = when
			} else {
				delete(b.Read, key)
			}
		}
	}
}

// Trim forgets what was read longest ago, down to a number of changes.
func (b *Record) Trim(most int) {
	if len(b.Read) <= most {
		return
	}
	times := make([]time.Time, 0, len(b.Read))
	for _, when := range b.Read {
		times = append(times, when)
	}
	slices.SortFunc(times, time.Time.Compare)
	oldest := times[len(times)-most]
	for key, when := range b.Read {
		if when.Before(oldest) {
			delete(b.Read, key)
		}
	}
}
