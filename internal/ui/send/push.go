package send

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/app/publishing"
	"bastel/internal/programs"
	"bastel/internal/repo"
	"bastel/internal/safe"
	sending "bastel/internal/send"
	"bastel/internal/ui/action"
	"bastel/internal/ui/kit"
	"bastel/internal/wording"
)

// outgoing is what a push would send, as far as is known.
func (m *Model) outgoing() publishing.Outgoing {
	out := publishing.Outgoing{Comparison: m.series.Comparison, Options: m.options}
	if m.stack {
		out.Stack = m.series.Stack
	}
	return out
}

// way says how the push would differ from the usual one.
func (m *Model) way() string {
	var words []string
	if m.once != "" {
		words = append(words, "this once to "+m.once)
	}
	if n := len(m.options); n > 0 {
		words = append(words, wording.Count(n, "push option"))
	}
	if m.stack {
		for _, c := range m.series.Stack {
			words = append(words, c.Branch)
		}
	}
	if len(words) == 0 {
		return ""
	}
	return "Along with it: " + strings.Join(words, ", ") + "."
}

// push asks first where commits on the remote would be replaced.
func (m *Model) push() tea.Cmd { return m.pushWith(sending.Consent{}) }

// pushWith pushes with what the user has said yes to.
func (m *Model) pushWith(consent sending.Consent) tea.Cmd {
	seen := m.outgoing()
	seen.Consent = consent
	once := m.once
	if err := seen.Verdict(); err != nil {
		return kit.Show(m.askConsent(seen, err))
	}
	work := kit.Start(kit.Work[kit.Got]{
		Title: "Sending " + safe.Line(seen.Branch),
		Do: func(ctx context.Context, report func(string)) (kit.Got, error) {
			return m.carryOut(ctx, seen, once, report)
		},
	})
	if what := replacing(seen); what != "" && len(consent.Remove) == 0 && !consent.BringBack {
		return kit.Show(kit.Ask{Question: fmt.Sprintf("On %s: %s. y sends.", safe.Line(seen.Remote), safe.Line(what)), Key: "y", Yes: work})
	}
	return work
}

// sent says that a push is done.
type sent struct{}

// replacing says what is replaced and what goes, in each branch that is sent.
func replacing(out publishing.Outgoing) string {
	var words []string
	if what := out.Replacing(); what != "" {
		words = append(words, what)
	}
	for _, c := range out.Stack {
		if what := c.Replacing(); what != "" {
			words = append(words, c.Branch+": "+what)
		}
	}
	return strings.Join(words, "; ")
}

// askConsent puts the question behind a refusal, naming what would go, or only tells the
// refusal where there is no way past it.
func (m *Model) askConsent(seen publishing.Outgoing, err error) tea.Msg {
	var refusal *sending.Refusal
	if !errors.As(err, &refusal) || refusal.Question == "" {
		return kit.Notice{Text: app.Explain(err), Trouble: true}
	}
	choose := kit.Choose{Question: true, Title: refusal.Question, Options: []kit.Option{{Label: "leave it", Detail: "Nothing is sent.",
		Do: func() tea.Cmd { return kit.Say("Nothing was sent.") }}}}
	consent := seen.Consent
	if refusal.Cause == sending.WentThere {
		consent.BringBack = true
		choose.Options = append(choose.Options, kit.Option{Label: "send it all the same", Detail: "What went there comes back with it.",
			Do: func() tea.Cmd { return m.pushWith(consent) }})
		return choose
	}
	going := seen.Removes()
	for _, c := range seen.Stack {
		going = append(going, c.Removes()...)
	}
	ids := make([]repo.ID, len(going))
	for i, t := range going {
		ids[i] = t.ID
	}
	consent.Remove = append(slices.Clone(consent.Remove), ids...)
	choose.Options = append(choose.Options,
		kit.Option{Label: "take them in first", Detail: "They come back into the plan.", Do: func() tea.Cmd { return m.takeBackIn(ids) }},
		kit.Option{Label: "send, and let them go", Detail: sending.Named(going), Do: func() tea.Cmd { return m.pushWith(consent) }})
	return choose
}

// carryOut asks the remote once more, and pushes only what the user has seen.
func (m *Model) carryOut(ctx context.Context, seen publishing.Outgoing, once string, report func(string)) (kit.Got, error) {
	report("asking " + seen.Remote)
	now := publishing.Outgoing{Options: seen.Options, Consent: seen.Consent}
	var err error
	if now.Comparison, err = m.publishing.CompareRemote(ctx, once, true); err != nil {
		return kit.Got{}, err
	}
	if seen.Stack != nil {
		if now.Stack, err = m.publishing.CompareStack(ctx, now.Remote, true); err != nil {
			return kit.Got{}, err
		}
	}
	if err := now.Verdict(); err != nil {
		var refusal *sending.Refusal
		switch {
		case errors.As(err, &refusal) && refusal.Question != "":
			return kit.Got{Msg: m.askConsent(now, err)}, nil
		case errors.As(err, &refusal) && refusal.Cause == sending.Diverged:
			return kit.Got{Msg: kit.Ask{Question: fmt.Sprintf("Somebody pushed to %s on %s. Nothing was sent. y fetches, and takes it in.",
				safe.Line(now.Branch), safe.Line(now.Remote)), Key: "y", Yes: m.fetchIn()}}, nil
		}
		return kit.Got{}, err
	}
	if changed := changedSince(seen, now); changed != "" {
		return kit.Got{}, &app.Refusal{Reason: fmt.Sprintf("%s has changed since you looked. Nothing was sent. F fetches, r looks again; then "+
			"repeat.", changed)}
	}
	done, err := m.publishing.Send(ctx, now, report)
	if err != nil {
		return kit.Got{}, err
	}
	text := fmt.Sprintf("Sent %s. %s has %s at %s now.", now.Sending(""), now.Remote, now.Branch, now.Here.Short())
	text = app.WithWarnings(text, done.Warnings)
	if done.Said != "" {
		text += "\n\nThe server said:\n\n" + done.Said
	}
	got := kit.ToScreen(Name, sent{})
	got.Note = text
	return got, nil
}

// arrived says that what somebody pushed is known here now.
type arrived struct{}

// fetchIn fetches, and takes in what came.
func (m *Model) fetchIn() tea.Cmd {
	return kit.Start(kit.Work[string]{
		Title: "Fetching",
		Do: func(ctx context.Context, report func(string)) (string, error) {
			_, err := m.publishing.Fetch(ctx, report)
			return "", err
		},
		Then: kit.Show(kit.ForScreen{Screen: Name, Msg: arrived{}}),
	})
}

// changedSince names what is not as the user has seen it; empty if all is. That the remote
// has moved does not matter where nothing of it is replaced.
func changedSince(seen, now publishing.Outgoing) string {
	was := append([]sending.Comparison{seen.Comparison}, seen.Stack...)
	is := append([]sending.Comparison{now.Comparison}, now.Stack...)
	if len(was) != len(is) {
		return "The stack"
	}
	for i := range is {
		switch {
		case was[i].Branch != is[i].Branch || was[i].Here != is[i].Here:
			return is[i].Branch
		case was[i].Remote != is[i].Remote || !slices.Equal(was[i].Replaces, is[i].Replaces):
			return is[i].Branch + " on " + is[i].Remote
		}
	}
	return ""
}

// otherRemote is the key of a remote among the ways to push: its place among all remotes, and for one push its letter.
func otherRemote(at int, once bool) string {
	switch {
	case once && at < len(onceTo):
		return string(onceTo[at])
	case !once && at < len(action.Digits):
		return action.Digits[at]
	}
	return ""
}

// onceTo are the letters of remotes for one push, beside o and s, which are other ways.
const onceTo = "abcdefghi"

// ways lists the ways to push that are not the usual one.
func (m *Model) ways() tea.Cmd {
	choose := kit.Choose{Title: "Other ways to push " + safe.Line(m.series.Branch)}
	for at, remote := range m.series.Remotes {
		if remote == m.series.Remote {
			continue
		}
		choose.Options = append(choose.Options, kit.Option{Key: otherRemote(at, false), Label: "to " + safe.Line(remote),
			Detail: "from now on, stored as the branch's pushRemote", Do: func() tea.Cmd {
				return kit.Start(kit.Work[string]{Title: "Choosing " + safe.Line(remote), Do: func(ctx context.Context,
					_ func(string)) (string, error) {
					return "The branch is pushed to " + remote + " from now on.", m.publishing.SetPushRemote(ctx, remote)
				}})
			}})
	}
	for at, remote := range m.series.Remotes {
		if remote != m.series.Remote {
			choose.Options = append(choose.Options, kit.Option{Key: otherRemote(at, true), Label: "once to " + safe.Line(remote),
				Detail: "the next push only",
				Do:     func() tea.Cmd { return m.sendOnce(remote) }})
		}
	}
	if n := len(m.series.Stack); n > 0 {
		label, detail := "with the stack", wording.Count(n, "other branch")+" along, all or none"
		if m.stack {
			label, detail = "without the stack", "this branch alone"
		}
		choose.Options = append(choose.Options, kit.Option{Key: "s", Label: label, Detail: detail,
			Do: func() tea.Cmd { m.stack = !m.stack; return nil }})
	}
	choose.Options = append(choose.Options, kit.Option{Key: "o", Label: "with options for the server",
		Detail: "one per line; an empty text sends none",
		Do: func() tea.Cmd {
			return kit.Show(kit.Edit{Title: "Options for the server's hooks, one per line", Text: strings.Join(m.options, "\n"),
				Done: func(text string) tea.Cmd {
					m.options = nil
					for line := range strings.Lines(text) {
						if option := strings.TrimSpace(line); option != "" {
							m.options = append(m.options, option)
						}
					}
					return kit.Say(wording.Count(len(m.options), "option") + " will be passed to the server.")
				}})
		}})
	return kit.Show(choose)
}

// sendOnce compares with a remote to which the next push goes alone.
func (m *Model) sendOnce(remote string) tea.Cmd {
	m.once = remote
	return m.Situated(m.at)
}

// links are the addresses that the server named in its last answer.
func (m *Model) links() []string { return publishing.Links(m.series.Last) }

// pageRow names the first of them.
func (m *Model) pageRow(width int, theme kit.Theme) string {
	links := m.links()
	if len(links) == 0 {
		return kit.Blank(width)
	}
	link := safe.Show(safe.Line(links[0]))
	return kit.Row(width, nil, kit.Seg{Text: "  "}, kit.Seg{Text: link, Style: theme.Now.Hyperlink(link)})
}

// pages offers to open or copy what the server named.
func (m *Model) pages() tea.Cmd {
	choose := kit.Choose{Title: "What the server named in its last answer"}
	for _, link := range m.links() {
		choose.Options = append(choose.Options,
			kit.Option{Label: "open " + safe.Line(link), Detail: "in the browser", Do: func() tea.Cmd {
				return func() tea.Msg {
					if err := programs.OpenPage(link); err != nil {
						return kit.Notice{Text: err.Error(), Trouble: true}
					}
					return kit.Notice{Text: "Opened " + link + "."}
				}
			}},
			kit.Option{Label: "copy " + safe.Line(link), Detail: "to the clipboard", Do: func() tea.Cmd {
				return tea.Batch(tea.SetClipboard(link), kit.Say("The address is on the clipboard, if the terminal lets programs reach it."))
			}})
	}
	return kit.Show(choose)
}
