package app

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"bastel/internal/repo"
)

// Writing is what helps to write a message here.
type Writing struct {
	Template string   // of commit.template
	Comment  string   // what lines begin with that do not count
	Cleanup  string   // of commit.cleanup: how a message is tidied up
	Earlier  []string // messages of the last commits, the youngest first
	Trailers []string // whole lines, the user's own sign-off first
	Verbose  bool     // of commit.verbose: the user's own editor gets what the message is for, too
	Prepares bool     // there is a prepare-commit-msg hook, which sees a text when it is begun
}

// scissors is the line, after the comment character, below which a message ends where commit.cleanup says so.
const scissors = " ------------------------ >8 ------------------------"

// CleanAs tidies a message up as commit.cleanup asks for. Without it no line goes: what begins with the
// comment character was written on purpose, for Bastel's own editor puts no hints into a message.
func CleanAs(cleanup, comment, message string) string {
	switch cleanup {
	case "verbatim":
		return message
	case "strip":
		message = WithoutComments(message, comment)
	case "scissors":
		message = WithoutDifference(message, comment)
	}
	return CleanMessage(message)
}

// clean tidies a message up as the configuration asks for.
func (a *App) clean(ctx context.Context, message string) (string, error) {
	cleanup, err := a.Repo.Config(ctx, "commit.cleanup")
	if err != nil {
		return "", err
	}
	comment, err := a.commentChar(ctx)
	return CleanAs(cleanup, comment, message), err
}

// WithoutHints takes away the hints that the repository puts into the draft of a message, such as what conflicted.
func (a *App) WithoutHints(ctx context.Context, draft string) (string, error) {
	comment, err := a.commentChar(ctx)
	return CleanMessage(WithoutComments(draft, comment)), err
}

func (a *App) commentChar(ctx context.Context) (string, error) {
	comment, err := a.Repo.Config(ctx, "core.commentChar")
	if comment == "" || comment == "auto" {
		comment = "#"
	}
	return comment, err
}

// Joined are the messages that the commits of an entry bring, for writing the one that stays: each of
// them, and all one after the other. What they have in common stands once.
func Joined(messages []string) []string {
	var distinct []string
	for _, m := range messages {
		if !slices.Contains(distinct, m) {
			distinct = append(distinct, m)
		}
	}
	if len(distinct) < 2 {
		return distinct
	}
	all, trailers := "", []string{}
	for _, m := range distinct {
		body, found := splitTrailers(m)
		all += strings.TrimRight(body, "\n") + "\n\n"
		for _, t := range found {
			if !slices.Contains(trailers, t) {
				trailers = append(trailers, t)
			}
		}
	}
	for _, t := range trailers {
		all = AddTrailer(all, t)
	}
	return append(distinct, CleanMessage(all))
}

// TrailersOf are the trailers that messages end with, each once.
func TrailersOf(messages []string) []string {
	var trailers []string
	for _, m := range messages {
		_, found := splitTrailers(m)
		for _, t := range found {
			if !slices.Contains(trailers, t) {
				trailers = append(trailers, t)
			}
		}
	}
	return trailers
}

func splitTrailers(message string) (body string, trailers []string) {
	body = strings.TrimRight(message, "\n")
	paragraphs := strings.Split(body, "\n\n")
	last := paragraphs[len(paragraphs)-1]
	if len(paragraphs) < 2 || !allTrailers(last) {
		return body, nil
	}
	return strings.Join(paragraphs[:len(paragraphs)-1], "\n\n"), strings.Split(last, "\n")
}

// earlierCommits is how many commits messages and names are taken from.
const earlierCommits = 60

// Writing reads what helps to write a message.
func (a *App) Writing(ctx context.Context) (Writing, error) {
	var w Writing
	var err error
	if w.Template, err = a.template(ctx); err != nil {
		return w, err
	}
	if w.Comment, err = a.commentChar(ctx); err != nil {
		return w, err
	}
	if w.Cleanup, err = a.Repo.Config(ctx, "commit.cleanup"); err != nil {
		return w, err
	}
	verbose, err := a.Repo.Config(ctx, "commit.verbose")
	if err != nil {
		return w, err
	}
	w.Verbose = repo.Truth(verbose, false)
	w.Prepares = a.Repo.HasHook(ctx, "prepare-commit-msg")
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return w, err
	}
	committer, err := a.Repo.Committer(ctx)
	me := repo.ParsePerson(committer)
	if err == nil { // without a name there is nothing to sign with
		w.Trailers = append(w.Trailers, fmt.Sprintf("Signed-off-by: %s <%s>", me.Name, me.Email))
	}
	if head.Commit.IsZero() {
		return w, nil
	}
	ids, err := a.Repo.RevList(ctx, "--first-parent", fmt.Sprintf("--max-count=%d", earlierCommits), head.Commit.String())
	if err != nil {
		return w, err
	}
	commits, err := a.Sources(ctx, ids)
	if err != nil {
		return w, err
	}
	for _, c := range commits {
		w.Earlier = append(w.Earlier, c.Message)
		by := c.Commit.SignedBy()
		line := fmt.Sprintf("Co-authored-by: %s <%s>", by.Name, by.Email)
		if by.Email != me.Email && !slices.Contains(w.Trailers, line) {
			w.Trailers = append(w.Trailers, line)
		}
	}
	return w, nil
}

// template reads the file of commit.template; one that is not there counts as none.
func (a *App) template(ctx context.Context) (string, error) {
	name, err := a.Repo.Config(ctx, "commit.template")
	if err != nil || name == "" {
		return "", err
	}
	if rest, ok := strings.CutPrefix(name, "~/"); ok {
		home, err := os.UserHomeDir()
		if err != nil {
			return "", err
		}
		name = filepath.Join(home, rest)
	}
	if !filepath.IsAbs(name) {
		name = filepath.Join(a.Repo.Top(), name)
	}
	data, err := readFile(name)
	if os.IsNotExist(err) {
		return "", nil
	}
	return string(data), err
}

// WithoutComments takes away the lines that begin with the comment character, which are
// hints in a text that came from the user's own editor.
func WithoutComments(text, comment string) string {
	return withoutLines(text, func(line string) bool { return comment != "" && strings.HasPrefix(line, comment) })
}

// WithDifference puts what a message is for below it, as `commit.verbose` asks for, behind a line after which nothing counts.
func WithDifference(text, comment, difference string) string {
	const hint = " What follows is not part of the message.\n"
	return strings.TrimRight(text, "\n") + "\n\n" + comment + scissors + "\n" + comment + hint + difference
}

// WithoutDifference takes that away again.
func WithoutDifference(text, comment string) string {
	kept, _, _ := strings.Cut("\n"+text, "\n"+comment+scissors)
	return strings.TrimPrefix(kept, "\n")
}

// WithoutHints takes away the hints of a template. A line that somebody wrote stays, with
// whatever it begins.
func WithoutHints(text, template, comment string) string {
	hints := map[string]bool{}
	for line := range strings.Lines(template) {
		hints[strings.TrimRight(line, "\n")] = comment != "" && strings.HasPrefix(line, comment)
	}
	return withoutLines(text, func(line string) bool { return hints[strings.TrimRight(line, "\n")] })
}

func withoutLines(text string, goes func(line string) bool) string {
	var kept strings.Builder
	for line := range strings.Lines(text) {
		if !goes(line) {
			kept.WriteString(line)
		}
	}
	return kept.String()
}

// AddTrailer adds a trailer to the message's last paragraph if that holds trailers
// only, else as a paragraph of its own; one that is there already stays as it is.
func AddTrailer(text, trailer string) string {
	body := strings.TrimRight(text, "\n")
	if slices.Contains(strings.Split(body, "\n"), trailer) {
		return text
	}
	paragraphs := strings.Split(body, "\n\n")
	last := paragraphs[len(paragraphs)-1]
	if len(paragraphs) > 1 && allTrailers(last) {
		return body + "\n" + trailer + "\n"
	}
	return body + "\n\n" + trailer + "\n"
}

func allTrailers(paragraph string) bool {
	for line := range strings.SplitSeq(paragraph, "\n") {
		key, _, ok := strings.Cut(line, ": ")
		if !ok || key == "" || strings.ContainsAny(key, " \t") {
			return false
		}
	}
	return true
}

// PrepareMessage lets the prepare-commit-msg hook see a text that is begun, and change it. What it is begun from is said as the
// repository says it to the hook: "message" for one that a command was given, "template", "commit" and its id, "merge", "squash", or
// nothing. It is run once for a text: one that was kept since is prepared already.
func (a *App) PrepareMessage(ctx context.Context, text string, from ...string) (string, error) {
	return a.messageHook(ctx, text, "prepare-commit-msg", from...)
}

// CheckMessage lets the commit-msg hook see a message, and change it.
func (a *App) CheckMessage(ctx context.Context, message string) (string, error) {
	message, err := a.clean(ctx, message)
	if err != nil {
		return "", err
	}
	if message, err = a.messageHook(ctx, message, "commit-msg"); err != nil {
		return "", err
	}
	if message, err = a.clean(ctx, message); err != nil {
		return "", err
	}
	if CleanMessage(message) == "" {
		return "", Refuse("A hook left the message empty. Nothing was committed.")
	}
	return message, nil
}

// messageHook runs a hook on a message in the file that it expects it in, and gives what it leaves there.
func (a *App) messageHook(ctx context.Context, message, hook string, args ...string) (string, error) {
	if !a.Repo.HasHook(ctx, hook) {
		return message, nil
	}
	file := filepath.Join(a.Repo.GitDir(), "COMMIT_EDITMSG")
	lines := strings.TrimSuffix(message, "\n") + "\n" // there is a first line also where nothing is written yet
	if err := os.WriteFile(file, []byte(lines), 0o666); err != nil {
		return "", fmt.Errorf("write the message for the %s hook: %w", hook, err)
	}
	if err := a.Repo.RunHook(ctx, hook, append([]string{file}, args...)...); err != nil {
		return "", RefusalFor(err)
	}
	changed, err := os.ReadFile(file)
	if err != nil {
		return "", fmt.Errorf("read the message after the %s hook: %w", hook, err)
	}
	return string(changed), nil
}

// CleanMessage takes trailing white space and superfluous blank lines away and
// ends the message with one line end. A message without text gives nothing.
func CleanMessage(message string) string {
	var lines []string
	for line := range strings.Lines(message) {
		line = strings.TrimRight(line, " \t\r\n")
		if line == "" && (len(lines) == 0 || lines[len(lines)-1] == "") {
			continue
		}
		lines = append(lines, line)
	}
	text := strings.TrimRight(strings.Join(lines, "\n"), "\n")
	if text == "" {
		return ""
	}
	return text + "\n"
}
