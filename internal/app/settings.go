package app

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/pelletier/go-toml/v2"

	"bastel/internal/journal"
	"bastel/internal/send"
	"bastel/internal/sweep"
)

// Settings are the user's own, from a file in the XDG configuration folder. The
// repository's configuration goes before them where it has the same key, as
// bastel.background or bastel.check.
type Settings struct {
	Background string            `toml:"background"`  // dark or light
	Check      string            `toml:"check"`       // the command that checks a tray's content
	FetchEvery string            `toml:"fetch_every"` // how often to fetch by itself, such as 15m; empty: never
	Journal    string            `toml:"journal"`     // how long its entries are kept, such as 90d; empty: always
	Preflight  map[string]string `toml:"preflight"`   // by item: block, warn or off
	Sweep      struct {
		WithoutDefaults bool            `toml:"without_defaults"`
		Pattern         []sweep.Pattern `toml:"pattern"`
	} `toml:"sweep"`
}

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

// Settings reads the settings anew.
func (a *App) Settings(ctx context.Context) (Settings, error) {
	var s Settings
	file, err := settingsFile()
	if err != nil {
		return s, fmt.Errorf("find the settings: %w", err)
	}
	data, err := readFile(file)
	if err != nil && !errors.Is(err, fs.ErrNotExist) { // a folder, a pipe, what nobody may read
		return s, &Refusal{Reason: fmt.Sprintf("The settings in %s cannot be read: %v. They are passed over.", file, err), Err: err}
	}
	if err := toml.NewDecoder(bytes.NewReader(data)).DisallowUnknownFields().Decode(&s); err != nil {
		var unknown *toml.StrictMissingError
		if errors.As(err, &unknown) {
			row, _ := unknown.Errors[0].Position()
			return s, Refuse("%s, line %d: there is no such setting: %v.", file, row, unknown.Errors[0].Key())
		}
		return s, Refuse("%s does not read as TOML: %v", file, err)
	}
	for key, value := range map[string]*string{"bastel.background": &s.Background, "bastel.check": &s.Check,
		"bastel.fetchEvery": &s.FetchEvery} {
		read := a.Repo.Config
		if slices.Contains(guardedKeys, key) {
			read = a.GuardedValue
		}
		own, err := read(ctx, key)
		if err != nil {
			return s, err
		}
		if own != "" {
			*value = own
		}
	}
	return s, nil
}

// KeepBackground keeps in the user's own configuration which background the terminal has: dark, or light.
func (a *App) KeepBackground(ctx context.Context, background string) error {
	return a.Repo.SetOwnConfig(ctx, "bastel.background", background)
}

// leastFetching is how far apart fetches by itself are at least.
const leastFetching = time.Minute

// FetchTime is how often to fetch by itself; 0: never.
func (s Settings) FetchTime() (time.Duration, error) {
	if s.FetchEvery == "" {
		return 0, nil
	}
	every, err := time.ParseDuration(s.FetchEvery)
	if err != nil || every < 0 {
		return 0, Refuse("The settings: fetch_every is %q, and no time such as 15m.", s.FetchEvery)
	}
	if every == 0 {
		return 0, nil
	}
	return max(every, leastFetching), nil
}

// ExpireJournal forgets what is older than the settings keep. It gives how many entries went.
func (a *App) ExpireJournal(ctx context.Context) (int, error) {
	s, err := a.Settings(ctx)
	if err != nil || s.Journal == "" {
		return 0, err
	}
	age, err := journal.ParseAge(s.Journal)
	if err != nil {
		return 0, Refuse("The settings: journal: %v.", err)
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
	f, err := sweep.New(patterns)
	if err != nil {
		return nil, &Refusal{Reason: "The settings: " + err.Error(), Err: err}
	}
	return f, nil
}

// Levels reads the settings of the preflight.
func (s Settings) Levels() (map[string]send.Level, error) {
	levels := map[string]send.Level{}
	for name, word := range s.Preflight {
		level := send.Level(word)
		switch {
		case !slices.Contains(send.ItemNames, name):
			return nil, Refuse("The settings: the preflight has no item %q; it has %s.", name, strings.Join(send.ItemNames, ", "))
		case level != send.Block && level != send.Warn && level != send.Off:
			return nil, Refuse("The settings: %q is no level of the preflight; it is block, warn or off.", word)
		}
		levels[name] = level
	}
	return levels, nil
}
