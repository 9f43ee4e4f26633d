package send

import (
	"cmp"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"bastel/internal/repo"
	"bastel/internal/wording"
)

// Level says how much a finding of the preflight counts.
type Level string

// The levels.
const (
	OK    Level = "ok"    // nothing was found
	Warn  Level = "warn"  // to be looked at
	Block Level = "block" // the branch is not sent
	Off   Level = "off"   // not looked for
)

// The items of the preflight.
const (
	Linear    = "linear"
	Subjects  = "subjects"
	Messages  = "messages"
	Leftovers = "leftovers"
	LargeFile = "large_files"
	Identity  = "identity"
	Checks    = "checks"
	Read      = "read"
	Others    = "others"
	Remarks   = "remarks"
	Reviewers = "reviewers"
	UpToDate  = "up_to_date"
)

// ItemNames lists the items in the order in which they are looked at.
var ItemNames = []string{Linear, Subjects, Messages, Leftovers, LargeFile, Identity, Checks, Read, Others, Remarks, Reviewers, UpToDate}

// Item is one thing that the preflight looked at.
type Item struct {
	Name    string
	Level   Level
	Message string
	Commits []repo.ID // that it is about
	Details []string  // all that was found, one by one
}

// Fact is what the preflight looks at of a commit.
type Fact struct {
	Meant   bool // a merge that was made here on purpose
	ID      repo.ID
	Message string
	Parents int
	Name    string // of the author
	Email   string
}

// Facts is what the preflight looks at.
type Facts struct {
	Commits   []Fact // that the remote would get, oldest first
	Name      string // the user's own, with the address
	Email     string
	Leftovers []string // "path:line" of what is left in added lines, markers of conflicts too
	Large     []string // paths of files that are too large
	Target    string   // empty: none is known
	Missing   int      // commits of the target that the branch does not have
	Check     bool     // a check command is set
	Failed    []repo.ID
	Unchecked []repo.ID
	Unread    []repo.ID // commits of which not every hunk was read
	TakesBack []string  // what answers to conflicts took back of others' lines, each as a sentence part
	Remarks   int       // of the user's own on the branch, that are not settled
	Reviewers []string  // whose remarks are not settled, one for each remark
}

// Preflight looks at a branch before it is sent. Levels say how much a finding of each
// item counts; an item that they do not name warns.
func Preflight(f Facts, levels map[string]Level) []Item {
	var items []Item
	for _, name := range ItemNames {
		level := levels[name]
		if level == "" {
			level = Warn
		}
		if level == Off {
			continue
		}
		message, commits, good := look(name, f)
		if good {
			level = OK
			message = cmp.Or(f.unseen(name), message)
		}
		items = append(items, Item{name, level, message, commits, details(name, f, commits)})
	}
	return items
}

// unseen says why there was nothing that an item could look at; empty: there was.
func (f Facts) unseen(name string) string {
	switch name {
	case Remarks, Reviewers:
		return ""
	case UpToDate:
		if f.Target == "" {
			return "not checked: the branch has no target"
		}
		return ""
	}
	if len(f.Commits) == 0 {
		return "not checked: no commit would be sent"
	}
	return ""
}

func look(name string, f Facts) (message string, commits []repo.ID, good bool) {
	switch name {
	case Linear:
		commits = f.of(func(c Fact) bool { return c.Parents > 1 && !c.Meant })
		return said(commits, "no merges", "%s: the series is not a straight line", "merge"), commits, len(commits) == 0
	case Subjects:
		commits = f.of(func(c Fact) bool { return unfinished.MatchString(repo.Subject(c.Message)) })
		return said(commits, "no subject says that it is unfinished", "%s with a subject such as fixup! or wip", "commit"), commits,
			len(commits) == 0
	case Messages:
		commits = f.of(func(c Fact) bool { return Form(c.Message) != "" })
		return f.form(commits), commits, len(commits) == 0
	case Leftovers:
		return foundIn(f.Leftovers, "nothing is left over in what is added", "left over in what is added"), nil, len(f.Leftovers) == 0
	case LargeFile:
		return foundIn(f.Large, "no file is too large", "too large"), nil, len(f.Large) == 0
	case Identity:
		commits = f.of(func(c Fact) bool { return f.misnamed(c) != "" })
		return said(commits, "authors and addresses are right", "%s whose author is not right", "commit"), commits, len(commits) == 0
	case Checks:
		switch {
		case !f.Check:
			return "no check command is set", nil, true
		case len(f.Failed) > 0:
			return said(f.Failed, "", "the check failed on %s", "commit"), f.Failed, false
		}
		return said(f.Unchecked, "the check passed on every commit", "%s not checked yet", "commit"), f.Unchecked, len(f.Unchecked) == 0
	case Read:
		return said(f.Unread, "every commit was read through", "%s not read through yet", "commit"), f.Unread, len(f.Unread) == 0
	case Others:
		return foundIn(f.TakesBack, "nothing that others wrote is taken back", "taken back of what others wrote"), nil, len(f.TakesBack) == 0
	case Remarks:
		if f.Remarks == 0 {
			return "no remark is open", nil, true
		}
		return wording.Count(f.Remarks, "remark") + " not done yet", nil, false
	case Reviewers:
		if len(f.Reviewers) == 0 {
			return "no reviewer waits for an answer", nil, true
		}
		names := slices.Compact(slices.Sorted(slices.Values(f.Reviewers)))
		return fmt.Sprintf("%s of reviewers not answered: %s", wording.Count(len(f.Reviewers), "remark"), strings.Join(names, ", ")), nil, false
	}
	if f.Missing == 0 {
		return "up to date with the target", nil, true
	}
	return fmt.Sprintf("%s has %s that the branch does not have", f.Target, wording.Count(f.Missing, "commit")), nil, false
}

// details lists what was found of an item: places in files, or commits.
func details(name string, f Facts, commits []repo.ID) (lines []string) {
	switch name {
	case Leftovers:
		return f.Leftovers
	case LargeFile:
		return f.Large
	case Others:
		return f.TakesBack
	}
	for _, c := range f.Commits {
		if !slices.Contains(commits, c.ID) {
			continue
		}
		line := c.ID.Short() + "  " + repo.Subject(c.Message)
		switch name {
		case Messages:
			line += ": " + Form(c.Message)
		case Identity:
			line += ": " + f.misnamed(c)
		}
		lines = append(lines, line)
	}
	return lines
}

// misnamed says what is not right about a commit's author; empty if nothing is. Others'
// commits are theirs; one of the user's own name should have the user's address.
func (f Facts) misnamed(c Fact) string {
	switch {
	case strings.TrimSpace(c.Name) == "":
		return "it has no author's name"
	case !address.MatchString(c.Email):
		return fmt.Sprintf("%q is no proper address", c.Email)
	case c.Name == f.Name && !strings.EqualFold(c.Email, f.Email):
		return fmt.Sprintf("you are %s here, not %s", f.Email, c.Email)
	}
	return ""
}

// form says how the first message is out of form, and of how many.
func (f Facts) form(commits []repo.ID) string {
	for _, c := range f.Commits {
		switch why := Form(c.Message); {
		case why == "":
		case len(commits) == 1:
			return "a message is not well formed: " + why
		default:
			return fmt.Sprintf("%d messages are not well formed, the first: %s", len(commits), why)
		}
	}
	return "messages are well formed"
}

func (f Facts) of(is func(Fact) bool) (ids []repo.ID) {
	for _, c := range f.Commits {
		if is(c) {
			ids = append(ids, c.ID)
		}
	}
	return ids
}

func said(ids []repo.ID, good, bad, noun string) string {
	if len(ids) == 0 {
		return good
	}
	return fmt.Sprintf(bad, wording.Count(len(ids), noun))
}

func foundIn(list []string, good, bad string) string {
	switch len(list) {
	case 0:
		return good
	case 1:
		return bad + ": " + list[0]
	}
	return fmt.Sprintf("%s: %s and %d more", bad, list[0], len(list)-1)
}

// unfinished are subjects of commits that were to be worked on.
var unfinished = regexp.MustCompile(`(?i)^(fixup!|squash!|amend!|wip\b|tmp\b|todo\b|debug$)`)

var address = regexp.MustCompile(`^[^@\s]+@[^@\s]+\.[^@\s.]+$`)

// longestSubject is the width that most lists of commits have for it.
const longestSubject = 72

// Form says what is not in form about a message; empty if nothing is.
func Form(message string) string {
	subject, body, _ := strings.Cut(strings.TrimRight(message, "\n"), "\n")
	switch {
	case strings.TrimSpace(subject) == "":
		return "it has no subject"
	case utf8.RuneCountInString(subject) > longestSubject:
		return fmt.Sprintf("its subject is longer than %d", longestSubject)
	case strings.HasSuffix(subject, "."):
		return "its subject ends in a full stop"
	case body != "" && !strings.HasPrefix(body, "\n"):
		return "no blank line follows its subject"
	}
	return ""
}
