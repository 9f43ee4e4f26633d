package ui

import (
	"context"
	"fmt"
	"strings"
	"time"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app/publishing"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/ui/kit"
	"bastel/internal/wording"
)

func (m *Model) fetch() tea.Cmd {
	return kit.Start(kit.Work[string]{Title: "Fetching", Background: true, Quiet: true,
		Do: func(ctx context.Context, report func(string)) (string, error) {
			fetched, err := publishing.Of(m.app).Fetch(ctx, report)
			if err != nil {
				return "", err
			}
			return tellFetched(fetched), nil
		}})
}

// fetchDue says that it is time to fetch.
type fetchDue struct{ every time.Duration }

func fetchLater(every time.Duration) tea.Cmd {
	if every == 0 {
		return nil
	}
	return tea.Tick(every, func(time.Time) tea.Msg { return fetchDue{every} })
}

// fetchByItself fetches without a question, unless something else is under way, and
// tells only what came.
func (m *Model) fetchByItself(every time.Duration) tea.Cmd {
	if m.app == nil || m.work != nil || m.beside != nil {
		return fetchLater(every)
	}
	return tea.Batch(fetchLater(every), kit.Start(kit.Work[string]{Title: "Automatic fetch", Background: true, Quiet: true,
		Do: func(ctx context.Context, report func(string)) (string, error) {
			fetched, err := publishing.Of(m.app).Fetch(repo.Unattended(ctx), report)
			if err != nil || len(fetched.Arrivals) == 0 {
				return "", err
			}
			return tellFetched(fetched), nil
		}}))
}

// mostTold is for how many branches it is said in one line what came, mostListed for how
// many in a list.
const (
	mostTold   = 2
	mostListed = 300
)

// tellFetched says from where was fetched and what came: in a line, or where that is much, in
// a list that begins with what concerns the branch, and with the others counted.
func tellFetched(f publishing.Fetched) string {
	from := "Fetched from " + safe.Line(strings.Join(f.From, ", ")) + "."
	for _, warning := range f.Warnings {
		from += " But " + safe.Line(warning) + "."
	}
	if len(f.Arrivals) == 0 {
		return from + " Nothing new. Your branches and files are as they were."
	}
	var lines []string
	for _, r := range f.Arrivals[:min(len(f.Arrivals), mostListed)] {
		lines = append(lines, safe.Line(r.Says()))
	}
	if len(lines) <= mostTold {
		return from + " " + strings.Join(lines, " ")
	}
	own, fresh, gone := 0, 0, 0
	for _, r := range f.Arrivals {
		switch {
		case r.Yours:
			own++
		case r.Old.IsZero():
			fresh++
		case r.New.IsZero():
			gone++
		}
	}
	heading := fmt.Sprintf("%s %s changed: %d new, %d gone, %d moved. Your branches and files are as they were.", from,
		wording.Count(len(f.Arrivals), "branch"), fresh, gone, len(f.Arrivals)-own-fresh-gone)
	if own > 0 {
		heading = fmt.Sprintf("%s Of yours: %d. Of others: %d new, %d gone, %d moved. Your branches and files are as they were.", from, own,
			fresh, gone, len(f.Arrivals)-own-fresh-gone)
	}
	lines = append([]string{heading, ""}, lines...)
	if more := len(f.Arrivals) - mostListed; more > 0 {
		lines = append(lines, fmt.Sprintf("And %d more; bastel fetch lists all.", more))
	}
	return strings.Join(lines, "\n")
}
