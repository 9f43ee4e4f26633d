package stream

import (
	"path/filepath"
	"slices"
	"sort"
	"strings"
	"sync"

	"github.com/alecthomas/chroma/v2"
	"github.com/alecthomas/chroma/v2/lexers"

	"bastel/internal/diff"
	"bastel/internal/tray"
	"bastel/internal/ui/kit"
)

// paint is a range of a shown line's bytes with the part of speech it is.
type paint struct {
	start, end int
	style      kit.Style
}

// over gives the colour of the part; weight and all else stay the line's.
func (p paint) over(line kit.Style) kit.Style {
	return line.ColouredAs(p.style)
}

// painter finds the colours of lines of code: by the whole text where that was read, else each line by itself, as it is
// drawn, which costs the same in a hunk of fifty thousand lines as in a short one.
type painter struct {
	lexers map[string]chroma.Lexer // by path, and by "*" and how a name ends
	lines  map[string][]chroma.Token
	whole  map[version]wholeText
	at     place // what was in view when it was last asked what is known of it
}

// remembered is how many lines are kept.
const remembered = 2000

// longestPainted is up to how many bytes of a line are worth it.
const longestPainted = 400

func (p *painter) line(f *tray.File, h *tray.Hunk, at int, text string, theme kit.Theme) []paint {
	if theme.Syntax == nil || len(text) > longestPainted {
		return nil
	}
	lexer := p.lexer(f.Path)
	if lexer == nil {
		return nil
	}
	if insideComment(h, at) {
		return []paint{{0, len(text), theme.Syntax[kit.Comment]}}
	}
	var paints []paint
	place := 0
	for _, token := range p.tokens(lexer, text) {
		if style, ok := theme.Syntax[speech(token.Type)]; ok {
			paints = append(paints, paint{place, place + len(token.Value), style})
		}
		place += len(token.Value)
	}
	return paints
}

func (p *painter) lexer(path string) chroma.Lexer {
	lexer, known := p.lexers[path]
	if known {
		return lexer
	}
	if p.lexers == nil {
		p.lexers = map[string]chroma.Lexer{}
	}
	// To look a name up takes milliseconds, which is too much for each of many files in a frame:
	// most names are known by how they end.
	name := filepath.Base(path)
	ending := filepath.Ext(name)
	if ending == "" || hasNameOfItsOwn(name) {
		lexer = coalesced(lexers.Match(name))
	} else if lexer = p.byEnding(ending); lexer == nil { // it may be a copy of another file, as in a.go.orig
		lexer = p.ofACopy(filepath.Ext(strings.TrimSuffix(name, ending)) + ending)
	}
	p.lexers[path] = lexer
	return lexer
}

// ofACopy is the language of a name with such an ending, as the library knows it.
func (p *painter) ofACopy(ending string) chroma.Lexer {
	lexer, known := p.lexers["*"+ending]
	if !known {
		lexer = coalesced(lexers.Match("any" + ending))
		p.lexers["*"+ending] = lexer
	}
	return lexer
}

func (p *painter) byEnding(ending string) chroma.Lexer {
	lexer, known := p.lexers["*"+ending]
	if !known {
		lexer = coalesced(endings()[ending])
		p.lexers["*"+ending] = lexer
	}
	return lexer
}

func coalesced(lexer chroma.Lexer) chroma.Lexer {
	if lexer == nil {
		return nil
	}
	return chroma.Coalesce(lexer)
}

// onlyEnding is how the names that a pattern fits end, if that is all that it says.
func onlyEnding(pattern string) (ending string, ok bool) {
	ending, ok = strings.CutPrefix(pattern, "*.")
	return "." + ending, ok && !strings.ContainsAny(ending, "*?[.")
}

// endings are the languages by how names end, as the library itself chooses among several.
var endings = sync.OnceValue(func() map[string]chroma.Lexer {
	first, second := map[string]chroma.PrioritisedLexers{}, map[string]chroma.PrioritisedLexers{}
	for _, lexer := range lexers.GlobalLexerRegistry.Lexers {
		for _, pattern := range lexer.Config().Filenames {
			if ending, ok := onlyEnding(pattern); ok {
				first[ending] = append(first[ending], lexer)
			}
		}
		for _, pattern := range lexer.Config().AliasFilenames {
			if ending, ok := onlyEnding(pattern); ok {
				second[ending] = append(second[ending], lexer)
			}
		}
	}
	best := map[string]chroma.Lexer{}
	for _, found := range []map[string]chroma.PrioritisedLexers{second, first} {
		for ending, list := range found {
			sort.Sort(list)
			best[ending] = list[0]
		}
	}
	return best
})

// patterns are those of names that tell the language by more than how they end.
var patterns = sync.OnceValue(func() (list []string) {
	for _, lexer := range lexers.GlobalLexerRegistry.Lexers {
		config := lexer.Config()
		for _, pattern := range slices.Concat(config.Filenames, config.AliasFilenames) {
			if _, only := onlyEnding(pattern); !only {
				list = append(list, pattern)
			}
		}
	}
	return list
})

func hasNameOfItsOwn(name string) bool {
	return slices.ContainsFunc(patterns(), func(pattern string) bool {
		ok, err := filepath.Match(pattern, name)
		return ok || err != nil
	})
}

func (p *painter) tokens(lexer chroma.Lexer, text string) []chroma.Token {
	key := lexer.Config().Name + "\x00" + text
	if tokens, ok := p.lines[key]; ok {
		return tokens
	}
	if p.lines == nil || len(p.lines) >= remembered {
		p.lines = map[string][]chroma.Token{}
	}
	tokens, err := chroma.Tokenise(lexer, nil, text)
	if err != nil {
		tokens = nil // the line stays plain
	}
	p.lines[key] = tokens
	return tokens
}

// commentReach is how many lines before are looked at for an open comment.
const commentReach = 60

// insideComment guesses whether a line lies within a comment of the kind /* */ that
// began on a line before. Lines of the other side do not count.
func insideComment(h *tray.Hunk, at int) bool {
	other := diff.Add
	if h.Lines[at].Op == diff.Add {
		other = diff.Remove
	}
	for before := at - 1; before >= 0 && before >= at-commentReach; before-- {
		if h.Lines[before].Op == other {
			continue
		}
		text := string(h.Lines[before].Text[:min(len(h.Lines[before].Text), longestPainted)])
		opened, closed := strings.LastIndex(text, "/*"), strings.LastIndex(text, "*/")
		if opened >= 0 || closed >= 0 {
			return opened > closed && strings.TrimSpace(text[:opened]) == ""
		}
	}
	return false
}

func speech(t chroma.TokenType) kit.TokenKind {
	switch {
	case t.InCategory(chroma.Comment):
		return kit.Comment
	case t.InCategory(chroma.Keyword), t == chroma.NameTag:
		return kit.Keyword
	case t.InSubCategory(chroma.LiteralString):
		return kit.Text
	case t.InSubCategory(chroma.LiteralNumber):
		return kit.Number
	case t == chroma.NameFunction, t == chroma.NameClass, t == chroma.NameBuiltin, t == chroma.NameAttribute:
		return kit.Named
	}
	return 0
}
