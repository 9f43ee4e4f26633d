package app

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/pelletier/go-toml/v2"

	"bastel/internal/journal"
	"bastel/internal/send"
	"bastel/internal/sweep"
	"bastel/internal/tray"
)

// Settings are the user's own, from a file in the XDG configuration folder. The
// repository's configuration goes before them where it has the same key, as
// bastel.background or bastel.check.
type Settings struct {
	Background string            `toml:"background"`  // dark or light
	Theme      string            `toml:"theme"`       // a name of Themes; empty: the usual colours
	Check      string            `toml:"check"`       // the command that checks a tray's content
	FetchEvery string            `toml:"fetch_every"` // how often to fetch by itself, such as 15m; empty: never
	Journal    string            `toml:"journal"`     // how long its entries are kept, such as 90d; empty: always
	Preflight  map[string]string `toml:"preflight"`   // by item: block, warn or off
	Sweep      struct {
		WithoutDefaults bool            `toml:"without_defaults"`
		Pattern         []sweep.Pattern `toml:"pattern"`
	} `toml:"sweep"`

	Warnings []string `toml:"-"` // what was passed over, each with its place and name
}

// Themes are the names of other colours than the usual ones.
func Themes() []string { return []string{"contrast", "colour-blind"} }

// TabWidth is how far apart tab stops are, by the tabwidth of core.whitespace; 0 where that says nothing.
func (a *App) TabWidth(ctx context.Context) int {
	value, err := a.Repo.Config(ctx, "core.whitespace")
	if err != nil {
		return 0 // what cannot be read is told where it matters
	}
	for word := range strings.SplitSeq(value, ",") {
		if width, is := strings.CutPrefix(strings.TrimSpace(word), "tabwidth="); is {
			if n, err := strconv.Atoi(width); err == nil && n > 0 && n < 64 { // as the repository's own commands have it
				return n
			}
		}
	}
	return 0
}

// DiffContext is how many unchanged lines are shown around a change, by diff.context; the usual number where that says nothing.
func (a *App) DiffContext(ctx context.Context) int {
	value, err := a.Repo.Config(ctx, "diff.context")
	if n, wrong := strconv.Atoi(value); err == nil && wrong == nil && n >= 0 {
		return min(n, MostContext)
	}
	return tray.Plain.Context
}

// MostContext is how many unchanged lines are shown at most.
const MostContext = 48

// settingsFile is where the settings are, by the XDG base directory specification.
func settingsFile() (string, error) {
	dir := os.Getenv("XDG_CONFIG_HOME")
	if !filepath.IsAbs(dir) { // the specification says to pass others over
		home, err := os.UserHomeDir()
		if err != nil {
			return "", err
		}
		dir = filepath.Join(home, ".config")
	}
	return filepath.Join(dir, "bastel", "settings.toml"), nil
}

// Settings reads the settings anew. What is wrong in them is passed over, and said in their warnings; the rest counts.
func (a *App) Settings(ctx context.Context) (Settings, error) {
	var s Settings
	file, err := settingsFile()
	if err != nil {
		return s, fmt.Errorf("find the settings: %w", err)
	}
	data, err := readFile(file)
	if err != nil && !errors.Is(err, fs.ErrNotExist) { // a folder, a pipe, what nobody may read
		s.warn("The settings in %s cannot be read: %v. They are passed over.", file, err)
	}
	s.decode(file, data)
	places := map[string]string{}
	for key, setting := range map[string]struct {
		name  string
		value *string
	}{"bastel.background": {"background", &s.Background}, "bastel.theme": {"theme", &s.Theme}, "bastel.check": {"check", &s.Check},
		"bastel.fetchEvery": {"fetch_every", &s.FetchEvery}} {
		read := a.Repo.Config
		if slices.Contains(guardedKeys, key) {
			read = a.GuardedValue
		}
		own, err := read(ctx, key)
		if err != nil {
			return s, err
		}
		if own != "" {
			*setting.value, places[setting.name] = own, "git's configuration, "+key
		}
	}
	s.passOver(func(key, value string) string {
		if place := places[key]; place != "" {
			return place
		}
		return fmt.Sprintf("%s, line %d", file, lineOf(data, key, value))
	})
	return s, nil
}

func (s *Settings) warn(format string, args ...any) {
	s.Warnings = append(s.Warnings, fmt.Sprintf(format, args...))
}

// decode reads the file. What is no TOML, or of another kind than it should be, is passed over as a whole; names that are not
// known by themselves.
func (s *Settings) decode(file string, data []byte) {
	before := s.Warnings
	if err := toml.Unmarshal(data, s); err != nil {
		*s = Settings{Warnings: before}
		row := 0
		var at *toml.DecodeError
		if errors.As(err, &at) {
			row, _ = at.Position()
		}
		s.warn("%s, line %d: it does not read as TOML with such a setting: %v. All of the file is passed over.", file, row, err)
		return
	}
	var strict Settings
	var unknown *toml.StrictMissingError
	if err := toml.NewDecoder(bytes.NewReader(data)).DisallowUnknownFields().Decode(&strict); errors.As(err, &unknown) {
		for _, wrong := range unknown.Errors {
			row, _ := wrong.Position()
			s.warn("%s, line %d: there is no such setting: %s.", file, row, strings.Join(wrong.Key(), "."))
		}
	}
}

// lineOf is the line of a file, from 1, on which a key has a value, or where that is written otherwise the first on which it is
// set; 0: it is not found.
func lineOf(data []byte, key, value string) (first int) {
	for i, line := range strings.Split(string(data), "\n") {
		name, rest, isSet := strings.Cut(line, "=")
		if !isSet || strings.Trim(strings.TrimSpace(name), `"`) != key {
			continue
		}
		if strings.Contains(rest, value) {
			return i + 1
		}
		if first == 0 {
			first = i + 1
		}
	}
	return first
}

// passOver takes out what makes no sense. The place of a key with a value is told by a function.
func (s *Settings) passOver(place func(key, value string) string) {
	if s.Background != "" && s.Background != "dark" && s.Background != "light" {
		s.warn("%s: background is %q; it can be dark or light.", place("background", s.Background), s.Background)
		s.Background = ""
	}
	if s.Theme != "" && !slices.Contains(Themes(), s.Theme) {
		s.warn("%s: theme is %q; it can be %s.", place("theme", s.Theme), s.Theme, strings.Join(Themes(), " or "))
		s.Theme = ""
	}
	if every, err := time.ParseDuration(s.FetchEvery); s.FetchEvery != "" && (err != nil || every < 0) {
		s.warn("%s: fetch_every is %q, and no time such as 15m.", place("fetch_every", s.FetchEvery), s.FetchEvery)
		s.FetchEvery = ""
	}
	if _, err := journal.ParseAge(s.Journal); s.Journal != "" && err != nil {
		s.warn("%s: journal: %v.", place("journal", s.Journal), err)
		s.Journal = ""
	}
	levels := []send.Level{send.Block, send.Warn, send.Off}
	for _, name := range slices.Sorted(maps.Keys(s.Preflight)) {
		word := s.Preflight[name]
		switch {
		case !slices.Contains(send.ItemNames, name):
			s.warn("%s: the preflight has no item %q; it has %s.", place(name, word), name, strings.Join(send.ItemNames, ", "))
		case !slices.Contains(levels, send.Level(word)):
			s.warn("%s: %s is %q; it can be block, warn or off.", place(name, word), name, word)
		default:
			continue
		}
		delete(s.Preflight, name)
	}
	s.Sweep.Pattern = slices.DeleteFunc(s.Sweep.Pattern, func(p sweep.Pattern) bool {
		_, err := sweep.New([]sweep.Pattern{p})
		if err != nil {
			s.warn("%s: %v.", place("match", p.Match), err)
		}
		return err != nil
	})
}

// KeepBackground keeps in the user's own configuration which background the terminal has: dark, or light.
func (a *App) KeepBackground(ctx context.Context, background string) error {
	return a.Repo.SetOwnConfig(ctx, "bastel.background", background)
}

// leastFetching is how far apart fetches by itself are at least.
const leastFetching = time.Minute

// FetchTime is how often to fetch by itself; 0: never.
func (s Settings) FetchTime() time.Duration {
	every, err := time.ParseDuration(s.FetchEvery)
	if err != nil || every <= 0 {
		return 0
	}
	return max(every, leastFetching)
}

// ExpireJournal forgets what is older than the settings keep. It gives how many entries went.
func (a *App) ExpireJournal(ctx context.Context) (int, error) {
	s, err := a.Settings(ctx)
	if err != nil || s.Journal == "" {
		return 0, err
	}
	age, err := journal.ParseAge(s.Journal)
	if err != nil {
		return 0, err
	}
	return a.ForgetEntries(ctx, func(e journal.Entry) bool { return time.Since(e.Time) > age })
}

// ForgetEntries takes entries out of the journal for good; undo then reaches what is left.
func (a *App) ForgetEntries(ctx context.Context, forget func(journal.Entry) bool) (int, error) {
	unlock, err := a.lock(ctx)
	if err != nil {
		return 0, err
	}
	defer unlock()
	return a.Journal.Forget(ctx, forget)
}

// LeftoverFinder finds leftovers as the settings say.
func (a *App) LeftoverFinder(ctx context.Context) (*sweep.Finder, error) {
	s, err := a.Settings(ctx)
	if err != nil {
		return nil, err
	}
	patterns := s.Sweep.Pattern
	if !s.Sweep.WithoutDefaults {
		patterns = append(patterns, sweep.Defaults...)
	}
	return sweep.New(patterns)
}

// Levels are those of the preflight.
func (s Settings) Levels() map[string]send.Level {
	levels := map[string]send.Level{}
	for name, word := range s.Preflight {
		levels[name] = send.Level(word)
	}
	return levels
}
