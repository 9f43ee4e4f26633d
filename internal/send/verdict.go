package send

import (
	"fmt"
	"slices"
	"strings"

	"bastel/internal/repo"
	"bastel/internal/wording"
)

// Consent is what the user said yes to, by name. Nothing of it is ever assumed.
type Consent struct {
	Remove    []repo.ID // commits of others that go from the remote's branch
	BringBack bool      // what went there since it was seen comes back with the push
}

// Theirs is a commit that the remote's branch has.
type Theirs struct {
	ID      repo.ID
	By      string // who made it
	Subject string
	Mine    bool // made by the user
}

// says names it in a sentence.
func (t Theirs) says() string { return fmt.Sprintf("%q of %s (%s)", t.Subject, t.By, t.ID.Short()) }

// Removes are the commits of others that would go.
func (c Comparison) Removes() []Theirs {
	return slices.DeleteFunc(slices.Clone(c.Goes), func(t Theirs) bool { return t.Mine })
}

// Named says which commits those are, as many as there is room for.
func Named(commits []Theirs) string {
	const most = 5
	words := []string{}
	for i, t := range commits {
		if i == most {
			words = append(words, fmt.Sprintf("%d more", len(commits)-most))
			break
		}
		words = append(words, t.says())
	}
	return listed(words)
}

// ByAuthor counts commits by who made them: "2 of yours and 1 of Mira Lund".
func ByAuthor(commits []Theirs) string {
	counts, order := map[string]int{}, []string{}
	for _, t := range commits {
		who := t.By
		if t.Mine {
			who = "yours"
		}
		if counts[who]++; counts[who] == 1 {
			order = append(order, who)
		}
	}
	words := make([]string, len(order))
	for i, who := range order {
		words[i] = fmt.Sprintf("%d of %s", counts[who], who)
	}
	return listed(words)
}

// listed joins words as a sentence does.
func listed(words []string) string {
	if n := len(words); n > 1 {
		return strings.Join(words[:n-1], ", ") + " and " + words[n-1]
	}
	return strings.Join(words, "")
}

// Replacing says what a push replaces, and what of the user's own goes; empty: nothing.
func (c Comparison) Replacing() string {
	own := slices.DeleteFunc(slices.Clone(c.Goes), func(t Theirs) bool { return !t.Mine })
	var words []string
	if len(c.Replaced) > 0 {
		words = append(words, ByAuthor(c.Replaced)+" replaced")
	}
	if len(own) > 0 {
		words = append(words, ByAuthor(own)+" removed")
	}
	if others := c.Removes(); len(others) > 0 {
		words = append(words, ByAuthor(others)+" removed")
	}
	return listed(words)
}

// Sending says what a push sends: "3 commits to send, and 40 that origin/main has already".
func (c Comparison) Sending(verb string) string {
	if len(c.Brings) == 0 {
		return wording.Count(len(c.Adds), "commit") + verb
	}
	return fmt.Sprintf("%s%s, and %d that %s has already", wording.Count(len(c.Adds), "commit"), verb, len(c.Brings), c.On)
}

// Behind says that there is nothing to send, and that the remote has more of others.
func (c Comparison) Behind() bool {
	return c.Known && len(c.Adds)+len(c.Brings) == 0 && len(c.NotYours) > 0 && len(c.NotYours) == len(c.Replaces)
}

// Verdict says whether the push may go ahead with what was consented to: nil, or a *Refusal.
// One whose cause is Removes or WentThere can be had by consent.
func (c Comparison) Verdict(consent Consent) error {
	name := strings.TrimPrefix(c.Ref, "refs/heads/")
	allowed := func(id repo.ID) bool { return slices.Contains(consent.Remove, id) }
	unseen := slices.DeleteFunc(slices.Clone(c.NotYours), allowed)
	removes := slices.DeleteFunc(c.Removes(), func(t Theirs) bool { return allowed(t.ID) })
	switch {
	case c.UpToDate():
		return nil
	case c.Went && !consent.BringBack:
		return &Refusal{Cause: WentThere, Question: c.wentHow(), Reason: c.wentHow() +
			" Nothing was sent. If you mean that: bastel send --bring-back."}
	case len(c.Replaces) == 0:
		return nil
	case c.Behind():
		return &Refusal{Cause: Behind, Reason: fmt.Sprintf("There is nothing to send: %s has all of %s, and %s more. Move it forward: bastel "+
			"fetch --forward.", c.Remote, name, wording.Count(len(c.Replaces), "commit"))}
	case !c.Known, c.Asked && c.There != c.Seen && len(unseen) > 0:
		return &Refusal{Cause: Diverged, Reason: fmt.Sprintf("Somebody pushed to %s on %s since you last fetched. Nothing was sent. Fetch, "+
			"look at what came, and take it in first.", name, c.Remote)}
	case len(unseen) > 0 && c.Rewrote != "":
		return &Refusal{Cause: NotYours, Reason: fmt.Sprintf("%s rewrote %s on %s. Take that in first: your own commits then go on top of "+
			"it.", c.Rewrote, name, c.Remote)}
	case len(unseen) > 0:
		return &Refusal{Cause: NotYours, Reason: fmt.Sprintf("%s on %s has %s that you don't have (the last is %s%s). Pushing would remove "+
			"%s. Take %s in first.", name, c.Remote,
			wording.Count(len(unseen), "commit"), unseen[len(unseen)-1].Short(), c.Whose, themIt(len(unseen)), themIt(len(unseen)))}
	case len(removes) > 0:
		what := fmt.Sprintf("%s would go from %s on %s: %s.", wording.Count(len(removes), "commit")+" of others", name, c.Remote, Named(removes))
		return &Refusal{Cause: RemovesOthers, Question: what, Reason: what + " Nothing was sent. Take " + themIt(len(removes)) +
			" in, or name what shall go: bastel send" + flags(removes) + "."}
	case c.Shared:
		return &Refusal{Cause: Shared, Reason: fmt.Sprintf("%s is shared: others build on it, and the push would replace %s there. Put your "+
			"commits onto %s/%s instead.", name, wording.Count(len(c.Replaces), "commit"), c.Remote, name)}
	}
	return nil
}

// wentHow says what happened to the remote's branch, and what a push would do about it.
func (c Comparison) wentHow() string {
	name := strings.TrimPrefix(c.Ref, "refs/heads/")
	if c.There.IsZero() {
		return fmt.Sprintf("%s was deleted on %s since you last fetched, and the push would bring it back.", name, c.Remote)
	}
	return fmt.Sprintf("%s was moved back on %s since you last fetched, and the push would bring back what went.", name, c.Remote)
}

func flags(commits []Theirs) string {
	text := ""
	for _, t := range commits {
		text += " --remove " + t.ID.Short()
	}
	return text
}

func themIt(n int) string {
	if n == 1 {
		return "it"
	}
	return "them"
}
