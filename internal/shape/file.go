package shape

import (
	"bytes"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/pelletier/go-toml/v2"

	"bastel/internal/mend"
	"bastel/internal/repo"
)

// Format is the version of the plan file that this package reads and writes.
const Format = "bastel-plan/1"

// File is a plan as it stands in a file.
type File struct {
	Format  string       `toml:"format" json:"format"`
	Branch  string       `toml:"branch" json:"branch"`
	Tip     repo.ID      `toml:"tip" json:"tip"`
	Base    string       `toml:"base,omitempty" json:"base,omitempty"` // "root": the range begins with a root commit
	Onto    string       `toml:"onto,omitempty" json:"onto,omitempty"`
	LeftOut []repo.ID    `toml:"left_out" json:"left_out"`
	Extra   []repo.ID    `toml:"extra,omitempty" json:"extra,omitempty"` // commits used besides those of the branch
	Split   []FileSplit  `toml:"split,omitempty" json:"split,omitempty"`
	Next    []FileEntry  `toml:"next" json:"next"`
	Shut    []mend.Key   `toml:"shut,omitempty" json:"shut,omitempty"` // answers of the memory that are not to be used
	Answers []FileAnswer `toml:"answer,omitempty" json:"answers,omitempty"`
}

// FileSplit is a commit used in parts, in a file.
type FileSplit struct {
	Of    repo.ID   `toml:"of" json:"of"`
	Parts []repo.ID `toml:"parts" json:"parts"`
}

// FileEntry is one resulting commit in a file.
type FileEntry struct {
	From    []repo.ID `toml:"from" json:"from"`
	Message *string   `toml:"message,multiline,omitempty" json:"message,omitempty"`
	Author  string    `toml:"author,omitempty" json:"author,omitempty"` // "Name <address>"
	Date    string    `toml:"date,omitempty" json:"date,omitempty"`     // RFC 3339
	Merge   bool      `toml:"merge,omitempty" json:"merge,omitempty"`
}

// FromRoot is what a file has as its base where there is none.
// FromRoot is said in place of a base where the range begins with a root commit.
const FromRoot = "root"

// File gives the plan's file. The messages of sources show in it, where they can
// be written as text, so that people see what they edit.
func (p Plan) File(messageOf func(repo.ID) string) File {
	f := File{Format: Format, Branch: p.Branch, Tip: p.Tip, Base: p.Base.String(), Onto: p.Onto,
		LeftOut: append([]repo.ID{}, p.LeftOut...), Next: []FileEntry{}}
	if p.Base.IsZero() {
		f.Base = FromRoot
	}
	for _, split := range p.Splits {
		f.Split = append(f.Split, FileSplit(split))
	}
	f.Extra, f.Shut = p.Extra, p.NotFromMemory
	for _, g := range p.Answers {
		f.Answers = append(f.Answers, NewFileAnswer(g))
	}
	for _, entry := range p.Next {
		e := FileEntry{From: entry.From, Author: entry.Author, Date: fileDate(entry.Date), Merge: entry.Merge}
		message := entry.Message
		if message == "" {
			message = messageOf(entry.From[0])
		}
		if writable(message) {
			e.Message = &message
		}
		f.Next = append(f.Next, e)
	}
	return f
}

// writable says whether a message can stand in a file. What cannot is a source's
// own, in an encoding that nobody knows.
func writable(message string) bool {
	return utf8.ValidString(message) && strings.TrimSpace(message) != ""
}

// Encode writes the file as TOML.
func (f File) Encode() ([]byte, error) {
	var b bytes.Buffer
	encoder := toml.NewEncoder(&b)
	encoder.SetIndentTables(false)
	if err := encoder.Encode(f); err != nil {
		return nil, fmt.Errorf("write the plan: %w", err)
	}
	return b.Bytes(), nil
}

// Decode reads a plan file. Keys it does not know are refused, since leaving one
// aside could mean doing something else than what the file says. Errors: ErrBadPlan.
func Decode(data []byte) (File, error) {
	var f File
	decoder := toml.NewDecoder(bytes.NewReader(data)).DisallowUnknownFields()
	if err := decoder.Decode(&f); err != nil {
		var unknown *toml.StrictMissingError
		if errors.As(err, &unknown) {
			row, _ := unknown.Errors[0].Position()
			return f, bad("line %d has a key that Bastel does not know: %s", row, strings.Join(unknown.Errors[0].Key(), "."))
		}
		var syntax *toml.DecodeError
		if errors.As(err, &syntax) {
			row, column := syntax.Position()
			return f, bad("line %d, column %d: %v", row, column, strings.TrimPrefix(syntax.Error(), "toml: "))
		}
		return f, bad("%v", err)
	}
	switch {
	case f.Format == "":
		return f, bad("it has no format; the first line should be format = %q", Format)
	case f.Format != Format:
		return f, bad("its format is %q, and this Bastel reads %q", f.Format, Format)
	case f.Branch == "":
		return f, bad("it names no branch")
	case f.Tip.IsZero():
		return f, bad("it has no tip, the full id of the branch when the plan was made")
	}
	return f, nil
}

// Used are the commits, and parts of commits, that the file's plan is made of.
func (f File) Used() (ids []repo.ID) {
	for _, entry := range f.Next {
		ids = append(ids, entry.From...)
	}
	return ids
}

// Plan gives the file's plan over the given sources. A message that is its first
// source's own is taken as absent, so that nothing is rewritten for its sake.
// Errors: ErrBadPlan.
func (f File) Plan(base repo.ID, sources []repo.ID, messageOf func(repo.ID) string) (Plan, error) {
	p := Plan{Branch: f.Branch, Tip: f.Tip, Base: base, Onto: f.Onto, Sources: sources, LeftOut: f.LeftOut, Extra: f.Extra,
		NotFromMemory: f.Shut}
	for _, answer := range f.Answers {
		given, err := answer.Resolution()
		if err != nil {
			return p, err
		}
		p.Answers = append(p.Answers, given)
	}
	for _, split := range f.Split {
		p.Splits = append(p.Splits, Split(split))
	}
	for i, entry := range f.Next {
		e := Entry{From: entry.From, Author: entry.Author, Merge: entry.Merge}
		if entry.Author != "" && !isAuthor(entry.Author) {
			return p, bad("entry %d has the author %q; write it as Name <address>", i+1, entry.Author)
		}
		date, err := planDate(entry.Date)
		if err != nil {
			return p, bad("entry %d has the date %q; write it as 2026-05-06T09:30:00+02:00, after 1970", i+1, entry.Date)
		}
		e.Date = date
		if entry.Message != nil {
			if strings.TrimSpace(*entry.Message) == "" {
				return p, bad("entry %d has an empty message", i+1)
			}
			if len(e.From) > 0 && !sameMessage(*entry.Message, messageOf(e.From[0])) {
				e.Message = *entry.Message
			}
		}
		p.Next = append(p.Next, e)
	}
	return p, p.Check()
}

// sameMessage compares messages; how many line ends close them does not matter.
func sameMessage(a, b string) bool { return strings.TrimRight(a, "\n") == strings.TrimRight(b, "\n") }

// BaseIsRoot says that the file's range begins with a root commit.
func (f File) BaseIsRoot() bool { return f.Base == FromRoot }

// fileDate writes "seconds zone" as people read it.
func fileDate(date string) string {
	seconds, zone, _ := strings.Cut(date, " ")
	n, err := strconv.ParseInt(seconds, 10, 64)
	offset, zoneErr := time.Parse("-0700", zone)
	if date == "" || err != nil || zoneErr != nil {
		return ""
	}
	return time.Unix(n, 0).In(offset.Location()).Format(time.RFC3339)
}

// planDate reads it back.
func planDate(text string) (string, error) {
	if text == "" {
		return "", nil
	}
	when, err := time.Parse(time.RFC3339, text)
	if err != nil {
		return "", err
	}
	return Date(when)
}

// Date writes a point in time as commits hold it. Errors: ErrBadPlan before 1970, which
// they cannot hold.
func Date(when time.Time) (string, error) {
	if when.Unix() < 0 {
		return "", bad("a commit cannot hold a date before 1970")
	}
	return fmt.Sprintf("%d %s", when.Unix(), when.Format("-0700")), nil
}

// isAuthor says whether a text is a name with an address.
func isAuthor(text string) bool {
	name, rest, ok := strings.Cut(text, " <")
	address, tail, closed := strings.Cut(rest, ">")
	return ok && closed && tail == "" && strings.TrimSpace(name) != "" && !strings.ContainsAny(name+address, "<>\n")
}
