package series

import (
	"fmt"
	"strings"

	"bastel/internal/repo"
	"bastel/internal/wording"
)

// Described is a commit as a request for review tells of it.
type Described struct {
	ID                    repo.ID
	Message               string
	Files, Added, Removed int
}

// Request writes the text of a request for review, as Markdown: what and why from the
// messages, the list of commits with their sizes, and what changed since the last push.
func Request(branch string, series []Described, since []Pairing) string {
	var b strings.Builder
	title := strings.NewReplacer("-", " ", "_", " ").Replace(branch[strings.LastIndexByte(branch, '/')+1:])
	if len(series) == 1 {
		title = repo.Subject(series[0].Message)
	}
	fmt.Fprintf(&b, "# %s\n\n", plain(title))
	for _, d := range series {
		body := bodyOf(d.Message)
		if len(series) == 1 {
			if body != "" {
				b.WriteString(body + "\n")
			}
			break
		}
		fmt.Fprintf(&b, "**%s**\n", plain(repo.Subject(d.Message)))
		if body != "" {
			b.WriteString("\n" + body)
		}
		b.WriteByte('\n')
	}
	b.WriteString("## Commits\n\n")
	for n, d := range series {
		fmt.Fprintf(&b, "%d. `%s` %s (%s, +%d −%d)\n", n+1, d.ID.Short(), plain(repo.Subject(d.Message)), wording.Count(d.Files, "file"), d.Added,
			d.Removed)
	}
	b.WriteString(sinceLast(series, since))
	return b.String()
}

// sinceLast tells what became of the commits that were pushed before.
func sinceLast(series []Described, since []Pairing) string {
	subjects := map[repo.ID]string{}
	for _, d := range series {
		subjects[d.ID] = plain(repo.Subject(d.Message))
	}
	var lines strings.Builder
	for _, p := range since {
		switch {
		case p.Relation == Same:
		case p.Old.IsZero():
			fmt.Fprintf(&lines, "- new: `%s` %s\n", p.New.Short(), subjects[p.New])
		case p.New.IsZero():
			fmt.Fprintf(&lines, "- gone: `%s`\n", p.Old.Short())
		default:
			fmt.Fprintf(&lines, "- %s: `%s` is `%s` now, %s\n", p.Relation, p.Old.Short(), p.New.Short(), subjects[p.New])
		}
	}
	if lines.Len() == 0 {
		return ""
	}
	return "\n## Since the last push\n\n" + lines.String()
}

// plain keeps text from being read as Markdown's own.
func plain(text string) string {
	return strings.NewReplacer("*", `\*`, "_", `\_`, "`", "\\`", "<", `\<`, "[", `\[`).Replace(text)
}
