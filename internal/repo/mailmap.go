package repo

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"sync"
)

// Mailmap says by which names and addresses people are known, whatever they signed with. (gitmailmap, a documented format.)
type Mailmap struct {
	byAddress map[string]alias            // the address that was signed with, in small letters
	byBoth    map[string]map[string]alias // by address and name, in small letters
}

// alias is what a line of the map gives; what is empty stays as it was signed.
type alias struct{ name, address string }

// people is the map as it was last read.
type people struct {
	mu    sync.Mutex
	stamp string
	known *Mailmap // nil: there is none
}

// Person is somebody as they are known.
func (m *Mailmap) Person(signed Person) Person {
	if m == nil {
		return signed
	}
	address := strings.ToLower(signed.Email)
	known, ok := m.byBoth[address][strings.ToLower(signed.Name)]
	if !ok {
		known = m.byAddress[address]
	}
	if known.name != "" {
		signed.Name = known.name
	}
	if known.address != "" {
		signed.Email = known.address
	}
	return signed
}

// ParseMailmap reads maps, later ones before earlier ones. What is no line of a map is passed over, as the repository does.
func ParseMailmap(texts ...string) *Mailmap {
	m := &Mailmap{byAddress: map[string]alias{}, byBoth: map[string]map[string]alias{}}
	for _, text := range texts {
		for line := range strings.Lines(text) {
			if !strings.HasPrefix(line, "#") {
				m.add(line)
			}
		}
	}
	return m
}

// add takes one line: "Proper Name <signed>", "[Proper Name] <proper> <signed>", or "[Proper Name] <proper> Signed Name <signed>".
func (m *Mailmap) add(line string) {
	name, first, rest, ok := nameAndAddress(line)
	if !ok || first == "" {
		return
	}
	signedName, second, _, ok := nameAndAddress(rest)
	if !ok {
		m.put(first, alias{name: name})
		return
	}
	known := alias{name, first}
	if signedName == "" {
		m.put(second, known)
		return
	}
	address := strings.ToLower(second)
	if m.byBoth[address] == nil {
		m.byBoth[address] = map[string]alias{}
	}
	m.byBoth[address][strings.ToLower(signedName)] = known
}

// put adds to what an earlier line says of an address.
func (m *Mailmap) put(signed string, known alias) {
	address := strings.ToLower(signed)
	before := m.byAddress[address]
	if known.name == "" {
		known.name = before.name
	}
	if known.address == "" {
		known.address = before.address
	}
	m.byAddress[address] = known
}

func nameAndAddress(text string) (name, address, rest string, ok bool) {
	name, rest, opened := strings.Cut(text, "<")
	address, rest, closed := strings.Cut(rest, ">")
	return strings.TrimSpace(name), address, rest, opened && closed
}

// Mailmap reads how people are known here: by .mailmap of the working tree, and by mailmap.blob and mailmap.file.
func (r *Repo) Mailmap(ctx context.Context) (*Mailmap, error) {
	file, err := r.Config(ctx, "mailmap.file")
	if err != nil {
		return nil, err
	}
	blob, err := r.Config(ctx, "mailmap.blob")
	if err != nil {
		return nil, err
	}
	stamp := &stamps{}
	names := []string{filepath.Join(r.top, ".mailmap")}
	if file != "" {
		if home, is := strings.CutPrefix(file, "~/"); is {
			file = filepath.Join(os.Getenv("HOME"), home)
		} else if !filepath.IsAbs(file) {
			file = filepath.Join(r.top, file)
		}
		names = append(names, file)
	}
	stamp.add(names...)
	stamp.b.WriteString(blob)
	r.people.mu.Lock()
	defer r.people.mu.Unlock()
	if r.people.stamp == stamp.b.String() && blob == "" {
		return r.people.known, nil
	}
	var texts []string
	for i, name := range names {
		info, err := os.Lstat(name)
		if err == nil && i == 0 && !info.Mode().IsRegular() {
			continue // a link in a working tree may lead anywhere
		}
		data, err := os.ReadFile(name)
		if err != nil && !errors.Is(err, fs.ErrNotExist) {
			return nil, fmt.Errorf("read how people are known: %w", err)
		}
		texts = append(texts, string(data))
		if i == 0 && blob != "" {
			texts = append(texts, r.blobText(ctx, blob))
		}
	}
	r.people.stamp, r.people.known = stamp.b.String(), nil
	if strings.Join(texts, "") != "" {
		r.people.known = ParseMailmap(texts...)
	}
	return r.people.known, nil
}

// blobText is what a blob holds that the configuration names; nothing where there is none.
func (r *Repo) blobText(ctx context.Context, name string) string {
	id, err := r.line(ctx, "rev-parse", "--verify", "--quiet", "--end-of-options", name)
	if err != nil {
		return ""
	}
	blob, err := ParseID(id)
	if err != nil {
		return ""
	}
	object, err := r.Object(ctx, blob)
	if err != nil || object.Kind != KindBlob {
		return ""
	}
	return string(object.Data)
}
