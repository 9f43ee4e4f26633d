package send

import (
	"fmt"
	"strings"

	"bastel/internal/safe"
	"bastel/internal/ui/kit"
	"bastel/internal/ui/stream"
	"bastel/internal/wording"
)

func (r *reading) columns(size kit.Size) (left, right int) {
	if size.Narrow {
		return size.Width, size.Width
	}
	left = min(60, size.Width*2/5)
	return left, size.Width - left - 2
}

func (r *reading) View(size kit.Size, theme kit.Theme) []string {
	r.size = size
	if len(r.data.Series) == 0 {
		return kit.Empty(size.Width, size.Height, theme, "There is nothing to read.", safe.Line(r.data.Branch)+" has no commits of its own.")
	}
	left, right := r.columns(size)
	if size.Narrow && r.half == kit.Now {
		return r.series(left, size.Height, theme)
	}
	page := r.page(right, size.Height, theme)
	if size.Narrow {
		return page
	}
	return kit.Join(r.series(left, size.Height, theme), kit.Pad(nil, 2, size.Height), page)
}

// series draws the series with what was read of it.
func (r *reading) series(width, height int, theme kit.Theme) []string {
	done := 0
	for _, n := range r.read {
		if n[0] == n[1] {
			done++
		}
	}
	rows := []string{
		kit.Heading(width, "Now", fmt.Sprintf("%d of %s read", done, wording.Count(len(r.read), "commit")), r.half == kit.Now, theme.Now, theme,
			r.size.Narrow),
		kit.Row(width, nil, kit.Seg{Text: safe.Show("  " + safe.Line(r.state())), Style: theme.Dim}),
		kit.Blank(width),
	}
	body := (height - len(rows)) / rowHeight
	r.top = kit.Scroll(r.top, r.commit, body, len(r.read))
	for i := r.top; i < min(r.top+body, len(r.read)); i++ {
		source := r.data.Sources[i]
		backdrop, pointer := kit.Cursor(theme, i == r.commit && !r.whole, 2)
		mark, title := "· ", theme.Plain
		if r.read[i][0] == r.read[i][1] {
			mark, title = "✓ ", theme.Dim
		}
		open := 0
		for _, n := range r.data.Remarks {
			if !n.Gone && n.Commit == i && !n.Settled {
				open++
			}
		}
		remarks := kit.Seg{Style: theme.Accent}
		if open > 0 {
			remarks.Text = safe.Show(wording.Count(open, "remark") + " open")
		}
		rows = append(rows,
			kit.Split(width, backdrop, []kit.Seg{pointer, {Text: safe.Show(mark), Style: theme.Now},
				{Text: safe.Show(source.Commit.Subject()), Style: title}}, kit.Seg{Text: safe.Show(fmt.Sprintf("%d of %d", r.read[i][0],
				r.read[i][1])), Style: theme.Dim}),
			kit.Split(width, backdrop, []kit.Seg{pointer, {Text: safe.Show("  " + source.ID.Short() + "  " +
				safe.Line(source.Commit.Writer().Name)), Style: theme.Dim}}, remarks))
	}
	return kit.Pad(rows, width, height)
}

// state says in a line what remarks and reviewers say.
func (r *reading) state() string {
	words := []string{}
	if n := r.data.Open(); n > 0 {
		words = append(words, wording.Count(n, "remark")+" open")
	} else if len(r.data.Remarks) > 0 {
		words = append(words, "all remarks done")
	}
	for _, v := range r.data.Verdicts {
		word := " is ready to land"
		if !v.Approved {
			word = " is not ready yet"
		}
		what := v.Commit.Short()
		if tip := r.data.Series[len(r.data.Series)-1].ID; tip == v.Commit {
			what = "it"
		}
		words = append(words, v.By+" says "+what+word)
	}
	return strings.Join(words, "; ")
}

// page draws what a commit says and changes.
func (r *reading) page(width, height int, theme kit.Theme) []string {
	source := r.data.Sources[r.commit]
	what := safe.Line(source.Commit.Subject())
	var body []string
	if r.whole {
		what = "the whole branch as one difference"
	} else {
		body = r.message(width)
	}
	rows := []string{kit.Heading(width, "Next", what, r.half == kit.Next, theme.Next, theme, r.size.Narrow)}
	for _, line := range body {
		rows = append(rows, kit.Row(width, nil, kit.Seg{Text: safe.Show("  " + line), Style: theme.Dim}))
	}
	rows = append(rows, kit.Blank(width))
	return append(rows, r.text.View(width, max(0, height-len(rows)), r.half == kit.Next, stream.Warm, theme)...)
}

// message is what stands below the subject, the remarks on the whole commit after it.
func (r *reading) message(width int) []string {
	source := r.data.Sources[r.commit]
	var lines []string
	_, body, _ := strings.Cut(strings.TrimSpace(source.Message), "\n")
	if body = strings.TrimSpace(body); body != "" {
		for line := range strings.SplitSeq(safe.Text(body), "\n") {
			lines = append(lines, kit.Wrap(kit.Expand(line), max(10, width-4))...)
		}
	}
	if len(lines) > messageRows {
		lines = append(lines[:messageRows-1], fmt.Sprintf("… %d more lines", len(lines)-messageRows+1))
	}
	for _, n := range r.data.Remarks {
		if !n.Gone && n.Commit == r.commit && n.Anchor.Path == "" {
			first, _, _ := strings.Cut(safe.Text(n.Text), "\n")
			text := "┊ " + safe.Line(head(n))
			if !n.Settled {
				text += ": " + first
			}
			lines = append(lines, text)
		}
	}
	return lines
}

func (r *reading) Click(x, y int) {
	left, right := r.columns(r.size)
	if !r.size.Narrow {
		r.half = kit.Now
		if x >= left {
			r.half = kit.Next
		}
	}
	if r.half == kit.Now && y >= readingHead {
		r.commit = r.top + (y-readingHead)/rowHeight
		r.step(0)
		return
	}
	r.text.ClickIn(kit.Next, r.size, x, y-2-len(r.message(right)))
}

func (r *reading) Wheel(x, turns int) {
	if left, _ := r.columns(r.size); !r.size.Narrow && x < left {
		r.step(turns)
		return
	}
	r.text.Move(3 * turns)
}
