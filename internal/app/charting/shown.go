package charting

import (
	"encoding/json"
	"fmt"
	"slices"

	"bastel/internal/app"
	"bastel/internal/repo"
)

// Show says which branches the chart is to have.
type Show struct {
	All     bool
	Also    []string           // branches that were looked for by name, whatever else is on show
	Line    string             // another line than the target of the branch at work; empty: that one
	Changed map[string]repo.ID // branches by their names as they will be: at another commit, or gone (zero)
	Head    string             // the branch that will be checked out; empty: as it is

	lines  map[string]repo.ID // targets by their names, as landings will move them
	moment app.Moment         // the refs as they were at another time; nil: as they are
	since  repo.ID            // the commit of the line from which its places are counted; zero: its tip
}

// showFile keeps which branches are on show.
const showFile = "chart.json"

// keptShow is what is kept of the choice.
type keptShow struct {
	All  bool   `json:"all"`
	Line string `json:"line,omitempty"`
}

// Shown is the choice that was kept; what cannot be read is the choice at first.
func (a *App) Shown() Show {
	var kept keptShow
	if json.Unmarshal([]byte(a.ReadState(showFile)), &kept) != nil {
		return Show{}
	}
	return Show{All: kept.All, Line: kept.Line}
}

// KeepShown keeps the choice for the next time.
func (a *App) KeepShown(show Show) error {
	data, err := json.Marshal(keptShow{show.All, show.Line})
	if err != nil {
		return fmt.Errorf("keep which branches are on show: %w", err)
	}
	return a.WriteState(showFile, string(data))
}

// recent is how many branches are on show at first besides the one at work, its stack and the local ones that are mine.
const recent = 12

// willBe is the branches after pending steps.
func willBe(tips []Branch, show Show) []Branch {
	var list []Branch
	known := map[string]bool{}
	for _, b := range tips {
		if at, changed := show.Changed[b.Name]; changed && !b.Remote {
			known[b.Name] = true
			if at.IsZero() {
				continue
			}
			b.Tip = at
		}
		if show.Head != "" && b.Ref == "HEAD" {
			continue // nothing stands there any more
		}
		if show.Head != "" && !b.Remote {
			if b.Here {
				b.Worktree = ""
			}
			b.Here, b.AtWork = b.Name == show.Head, b.Name == show.Head
		}
		list = append(list, b)
	}
	for name, at := range show.Changed {
		if !known[name] && !at.IsZero() {
			list = append(list, Branch{Name: name, Ref: "refs/heads/" + name, Tip: at, Mine: true, Here: name == show.Head,
				AtWork: name == show.Head})
		}
	}
	return list
}

// choose picks the branches on show: the one at work, what is mine, and recent ones; of a remote's branches those that no
// local one follows or stands for.
func choose(tips []Branch, target app.Target, show Show) []Branch {
	local, followed := map[repo.ID]bool{}, map[string]bool{}
	for _, b := range tips {
		if !b.Remote {
			local[b.Tip], followed[b.Upstream] = true, true
		}
	}
	var chosen []Branch
	others := 0
	for _, b := range tips {
		_, pending := show.Changed[b.Name]
		switch {
		case b.Ref != "HEAD" && b.Remote && (b.Name == target.Name || local[b.Tip]),
			b.Remote && followed[b.Ref] && !show.All && !slices.Contains(show.Also, b.Name):
			continue
		case show.All, slices.Contains(show.Also, b.Name), b.AtWork, b.Here, pending && !b.Remote, !b.Remote && b.Mine && others < 2*recent:
		case others >= recent:
			continue
		}
		others++
		chosen = append(chosen, b)
	}
	return chosen
}
