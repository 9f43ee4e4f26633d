package review

import (
	"fmt"
	"strings"

	"bastel/internal/repo"
	"bastel/internal/safe"
)

// Placed is a remark with the commit in which its line stands now.
type Placed struct {
	Remark
	Place   `json:"-"`
	Gone    bool    `json:"gone"` // the line is in no commit of the series any more
	Now     repo.ID `json:"now"`  // the commit
	Subject string  `json:"subject"`
}

// Export writes remarks as Markdown, the open ones first.
func Export(branch string, remarks []Placed) string {
	var b strings.Builder
	fmt.Fprintf(&b, "# Remarks on %s\n", branch)
	for _, settled := range []bool{false, true} {
		heading := "\n## Open\n\n"
		if settled {
			heading = "\n## Done\n\n"
		}
		for _, n := range remarks {
			if n.Settled == settled {
				b.WriteString(heading)
				heading = ""
				b.WriteString(n.markdown())
			}
		}
	}
	return b.String()
}

func (n Placed) markdown() string {
	var b strings.Builder
	fmt.Fprintf(&b, "- **%d** ", n.Number)
	if n.Anchor.Path != "" {
		fmt.Fprintf(&b, "%s line %d, ", code(safe.Line(n.Anchor.Path)), n.Anchor.Number)
	}
	where := "in *" + n.Subject + "*"
	if n.Gone {
		where = "in commit " + n.Anchor.Commit.Short() + ", whose line is gone"
	}
	b.WriteString(where)
	if n.By != "" {
		b.WriteString(", from " + n.By)
	}
	b.WriteString("\n\n")
	if n.Anchor.Path != "" {
		fmt.Fprintf(&b, "      %s%s\n\n", n.Anchor.Sign, n.Anchor.Text)
	}
	for line := range strings.Lines(strings.TrimRight(n.Text, "\n")) {
		b.WriteString("  " + strings.TrimRight(line, "\r\n") + "\n")
	}
	return b.String() + "\n"
}

// code is a code span in Markdown, which backquotes in the text do not end.
func code(text string) string {
	fence := "`"
	for strings.Contains(text, fence) {
		fence += "`"
	}
	if strings.HasPrefix(text, "`") || strings.HasSuffix(text, "`") {
		text = " " + text + " "
	}
	return fence + text + fence
}
