package repo

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"strconv"
	"strings"
	"sync"
	"time"
)

// ErrBadObject is returned for an object that does not follow its format.
var ErrBadObject = errors.New("object is malformed")

// Header is one line of a commit's head that Bastel keeps but does not read. A
// value of several lines holds them without the leading space of the format.
type Header struct{ Key, Value string }

// Commit is a parsed commit. Texts are kept as bytes in Go strings, whatever
// their encoding, so that writing a commit gives back what was read.
type Commit struct {
	Tree      ID
	Parents   []ID
	Author    string // "Name <address> seconds zone", as it stands in the object
	Committer string
	Encoding  string   // empty: UTF-8
	Extra     []Header // all other headers, signatures among them, in order
	Message   string

	people *Mailmap // nil: people are known as they sign
}

// ParseCommit reads a commit as the documented object format has it.
func ParseCommit(data []byte) (*Commit, error) {
	c := &Commit{}
	head, message, found := bytes.Cut(data, []byte("\n\n"))
	if !found {
		head = bytes.TrimSuffix(data, []byte("\n"))
	}
	c.Message = string(message)
	lines := strings.Split(string(head), "\n")
	for i := 0; i < len(lines); i++ {
		key, value, ok := strings.Cut(lines[i], " ")
		if !ok {
			return nil, fmt.Errorf("commit header %q: %w", lines[i], ErrBadObject)
		}
		for i+1 < len(lines) && strings.HasPrefix(lines[i+1], " ") {
			i++
			value += "\n" + lines[i][1:]
		}
		if err := c.setHeader(key, value); err != nil {
			return nil, err
		}
	}
	if c.Tree.IsZero() {
		return nil, fmt.Errorf("commit without tree: %w", ErrBadObject)
	}
	return c, nil
}

func (c *Commit) setHeader(key, value string) (err error) {
	switch key {
	case "tree":
		c.Tree, err = ParseID(value)
	case "parent":
		var id ID
		id, err = ParseID(value)
		c.Parents = append(c.Parents, id)
	case "author":
		c.Author = value
	case "committer":
		c.Committer = value
	case "encoding":
		c.Encoding = value
	default:
		c.Extra = append(c.Extra, Header{key, value})
	}
	return err
}

// Encode writes the commit in the object format.
func (c *Commit) Encode() []byte {
	var b bytes.Buffer
	// A value of several lines goes on in lines that begin with a space, whatever header it is of.
	header := func(key, value string) {
		for _, part := range []string{key, " ", strings.ReplaceAll(value, "\n", "\n "), "\n"} {
			b.WriteString(part)
		}
	}
	header("tree", c.Tree.String())
	for _, parent := range c.Parents {
		header("parent", parent.String())
	}
	header("author", c.Author)
	header("committer", c.Committer)
	if c.Encoding != "" {
		header("encoding", c.Encoding)
	}
	for _, h := range c.Extra {
		header(h.Key, h.Value)
	}
	b.WriteByte('\n')
	b.WriteString(c.Message)
	return b.Bytes()
}

// Parent is the first parent, or the zero id of a root commit.
func (c *Commit) Parent() ID {
	if len(c.Parents) == 0 {
		return ID{}
	}
	return c.Parents[0]
}

// Subject is the message's first paragraph on one line, in UTF-8.
func (c *Commit) Subject() string { return Subject(c.Text(c.Message)) }

// Writer is who wrote the commit, and when, in UTF-8, as they are known.
func (c *Commit) Writer() Person { return c.people.Person(c.SignedBy()) }

// SignedBy is who wrote it as the commit itself says.
func (c *Commit) SignedBy() Person { return ParsePerson(c.Text(c.Author)) }

// CommittedBy is who made the commit of it, and when, as they are known.
func (c *Commit) CommittedBy() Person { return c.people.Person(ParsePerson(c.Text(c.Committer))) }

// Subject gives the first paragraph of a message on one line.
func Subject(message string) string {
	message = strings.TrimLeft(message, "\n \t\r")
	paragraph, _, _ := strings.Cut(strings.ReplaceAll(message, "\r\n", "\n"), "\n\n")
	return strings.Join(strings.Fields(paragraph), " ")
}

// Person is who signed a commit, and when.
type Person struct {
	Name, Email string
	When        time.Time
}

// ParsePerson reads "Name <address> seconds zone". Parts that cannot be read stay empty.
func ParsePerson(text string) Person {
	name, rest, _ := strings.Cut(text, "<")
	close := strings.LastIndexByte(rest, '>')
	if close < 0 {
		return Person{Name: strings.TrimSpace(text)}
	}
	person := Person{Name: strings.TrimSpace(name), Email: rest[:close]}
	fields := strings.Fields(rest[close+1:])
	if len(fields) != 2 {
		return person
	}
	seconds, err := strconv.ParseInt(fields[0], 10, 64)
	zone, err2 := strconv.Atoi(fields[1])
	if err != nil || err2 != nil {
		return person
	}
	offset := (zone/100)*3600 + (zone%100)*60
	person.When = time.Unix(seconds, 0).In(time.FixedZone("", offset))
	return person
}

// Commit reads a commit.
func (r *Repo) Commit(ctx context.Context, id ID) (*Commit, error) {
	commits, err := r.Commits(ctx, []ID{id})
	if err != nil {
		return nil, err
	}
	return commits[0], nil
}

// Commits reads several commits, those that were not read before with one question.
func (r *Repo) Commits(ctx context.Context, ids []ID) ([]*Commit, error) {
	people, err := r.Mailmap(ctx)
	if err != nil {
		return nil, err
	}
	commits := make([]*Commit, len(ids))
	unread := r.commits.fill(commits, ids)
	wanted := make([]ID, len(unread))
	for i, at := range unread {
		wanted[i] = ids[at]
	}
	objects, err := r.Objects(ctx, wanted)
	if err != nil {
		return nil, err
	}
	for i, at := range unread {
		if objects[i].Kind != KindCommit {
			return nil, fmt.Errorf("%s is a %s, not a commit: %w", ids[at].Short(), objects[i].Kind, ErrBadObject)
		}
		if commits[at], err = ParseCommit(objects[i].Data); err != nil {
			return nil, fmt.Errorf("commit %s: %w", ids[at], err)
		}
	}
	r.commits.keep(wanted, unread, commits)
	for i := range commits {
		its := *commits[i]
		its.people = people
		commits[i] = &its
	}
	return commits, nil
}

// knownCommits are those that were read: who reads a branch, and then carries out a plan for it, needs the same ones.
type knownCommits struct {
	mu   sync.Mutex
	read map[ID]*Commit
}

// mostCommits bounds them; with more all are forgotten.
const mostCommits = 5000

// fill puts those that are known into their places, and gives the places of the others.
func (k *knownCommits) fill(commits []*Commit, ids []ID) (unread []int) {
	k.mu.Lock()
	defer k.mu.Unlock()
	for i, id := range ids {
		if commits[i] = k.read[id]; commits[i] == nil {
			unread = append(unread, i)
		}
	}
	return unread
}

func (k *knownCommits) keep(ids []ID, at []int, commits []*Commit) {
	if len(ids) > mostCommits {
		return
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.read == nil || len(k.read)+len(ids) > mostCommits {
		k.read = map[ID]*Commit{}
	}
	for i, id := range ids {
		k.read[id] = commits[at[i]]
	}
}

// Committer is how the repository would sign a commit made now: the header's text.
func (r *Repo) Committer(ctx context.Context) (string, error) {
	if _, err := r.configuration(ctx); err != nil {
		return "", err
	}
	_, fixed := os.LookupEnv("GIT_COMMITTER_DATE")
	r.configLock.Lock()
	known := r.committer
	r.configLock.Unlock()
	if known == "" {
		asked, err := r.line(ctx, "var", "GIT_COMMITTER_IDENT")
		if err != nil {
			return "", fmt.Errorf("find out who you are: %w", err)
		}
		r.configLock.Lock()
		r.committer, known = asked, asked
		r.configLock.Unlock()
	}
	at := strings.LastIndexByte(known, '>')
	if fixed || at < 0 {
		return known, nil
	}
	now := time.Now()
	return fmt.Sprintf("%s %d %s", known[:at+1], now.Unix(), now.Format("-0700")), nil
}

// Mapping is a commit, and the one that it became in a rewriting.
type Mapping [2]ID
