// Package sweep finds leftovers in added lines: debug prints, breakpoints, conflict
// markers, notes not to commit. Which patterns count is for each kind of file a small
// default set and the user's own. Taking the lines out is left to the use cases.
//
// Its tests promise: each pattern finds its lines and passes over those like them.
package sweep

import (
	"fmt"
	"path"
	"regexp"
	"strings"
)

// Pattern is one sort of leftover.
type Pattern struct {
	Match string // a regular expression, looked for in each line
	Files string // the base names of the files it is for, as path.Match reads them, separated by spaces; empty: all
}

// Defaults are the patterns that count everywhere. They are chosen to be silent on
// code that means what it does: plain prints count only where programs seldom print.
var Defaults = []Pattern{
	{`^(<<<<<<<|>>>>>>>|\|\|\|\|\|\|\|)( |$)`, ""},
	{`(?i)\b(do not (commit|merge|push)|nocommit|don't commit)\b`, ""},
	{`^\s*(print|println)\(|\bspew\.Dump\(|\b(fmt|log)\.Print(f|ln)?\(.*(?i:debug|xxx)`, "*.go"},
	{`\bconsole\.(log|debug|dir|trace|table)\(|^\s*debugger\b`, "*.js *.jsx *.ts *.tsx *.mjs *.cjs *.vue *.svelte *.html"},
	{`\bbreakpoint\(\)|\bi?pdb\.set_trace\(|^\s*print\(.*(?i:debug|xxx)|^\s*import i?pdb\b`, "*.py"},
	{`\bbinding\.(pry|irb)\b|^\s*byebug\b|^\s*puts .*(?i:debug|xxx)`, "*.rb"},
	{`\bdbg!\(|\be?println!\(.*(?i:debug|xxx)`, "*.rs"},
	{`\bSystem\.(out|err)\.print(ln)?\(.*(?i:debug|xxx)|\.printStackTrace\(\)`, "*.java *.kt"},
	{`\b(printf|puts)\(.*(?i:debug|xxx)|\bstd::cerr\s*<<.*(?i:debug|xxx)`, "*.c *.h *.cc *.cpp *.hpp"},
	{`\b(var_dump|print_r|dd)\(`, "*.php"},
	{`^\s*set -x\b`, "*.sh *.bash"},
}

// Finder finds leftovers.
type Finder struct{ patterns []compiled }

type compiled struct {
	match *regexp.Regexp
	files []string
}

// New makes a finder. An error names the pattern that is none.
func New(patterns []Pattern) (*Finder, error) {
	f := &Finder{}
	for _, p := range patterns {
		match, err := regexp.Compile(p.Match)
		if err != nil {
			return nil, fmt.Errorf("sweep pattern %q: %w", p.Match, err)
		}
		files := strings.Fields(p.Files)
		for _, glob := range files {
			if _, err := path.Match(glob, ""); err != nil {
				return nil, fmt.Errorf("sweep pattern %q is for files %q: %w", p.Match, glob, err)
			}
		}
		f.patterns = append(f.patterns, compiled{match, files})
	}
	return f, nil
}

// longest is how much of a line is looked at, in bytes.
const longest = 4000

// In gives a test for the lines of one file; nil where no pattern is for it.
func (f *Finder) In(file string) func(line []byte) bool {
	var matches []*regexp.Regexp
	for _, p := range f.patterns {
		if p.isFor(path.Base(file)) {
			matches = append(matches, p.match)
		}
	}
	if len(matches) == 0 {
		return nil
	}
	return func(line []byte) bool {
		line = line[:min(len(line), longest)]
		for _, match := range matches {
			if match.Match(line) {
				return true
			}
		}
		return false
	}
}

func (p compiled) isFor(name string) bool {
	for _, glob := range p.files {
		if ok, _ := path.Match(glob, name); ok {
			return true
		}
	}
	return len(p.files) == 0
}
