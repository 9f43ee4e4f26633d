package app

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/pelletier/go-toml/v2"

	"bastel/internal/safe"
)

// guardedKeys start something, or ask somebody. In the user's own configuration they count as they are; in a repository's, which
// may have come from elsewhere, only once the user has allowed them for this place and as they are now.
var guardedKeys = []string{"bastel.check", "bastel.fetchEvery", "bastel.review"}

// ErrNotAllowed is a command of the repository's own configuration that the user has not allowed.
var ErrNotAllowed = errors.New("this repository's own configuration is not allowed to start this")

// allowedFile holds the places, by the XDG base directory specification in the folder for state.
type allowedFile struct {
	Format string         `toml:"format"`
	Place  []allowedPlace `toml:"place"`
}

type allowedPlace struct {
	Path string `toml:"path"`
	Sum  string `toml:"sum"` // of the values that were allowed
}

const allowedFormat = "bastel-allowed/1"

func allowedName() (string, error) {
	dir := os.Getenv("XDG_STATE_HOME")
	if !filepath.IsAbs(dir) {
		home, err := os.UserHomeDir()
		if err != nil {
			return "", fmt.Errorf("find the list of what is allowed: %w", err)
		}
		dir = filepath.Join(home, ".local", "state")
	}
	return filepath.Join(dir, "bastel", "allowed.toml"), nil
}

// readAllowed reads the list; one that cannot be read allows nothing.
func readAllowed() (list allowedFile, err error) {
	name, err := allowedName()
	if err != nil {
		return list, err
	}
	data, err := readFile(name)
	if errors.Is(err, fs.ErrNotExist) {
		return list, nil
	}
	if err == nil {
		err = toml.Unmarshal(data, &list)
	}
	if err != nil || list.Format != allowedFormat {
		return allowedFile{}, nil
	}
	return list, nil
}

// GuardedValue is the value of a key, without that of the repository's own configuration unless it is allowed here.
func (a *App) GuardedValue(ctx context.Context, key string) (string, error) {
	values, err := a.Repo.ConfigValues(ctx, key)
	if err != nil || len(values) == 0 {
		return "", err
	}
	allowed, err := a.allowed(ctx)
	if err != nil {
		return "", err
	}
	for _, v := range slices.Backward(values) {
		if allowed || !v.Local {
			return v.Value, nil
		}
	}
	return "", nil
}

// localCommands are the guarded settings that only the repository's own configuration has, as it has them.
func (a *App) localCommands(ctx context.Context) ([]string, error) {
	var found []string
	for _, key := range guardedKeys {
		values, err := a.Repo.ConfigValues(ctx, key)
		if err != nil {
			return nil, err
		}
		if n := len(values); n > 0 && values[n-1].Local && values[n-1].Value != "" {
			found = append(found, key+" = "+values[n-1].Value)
		}
	}
	return found, nil
}

func (a *App) allowed(ctx context.Context) (bool, error) {
	place, err := a.place(ctx)
	if err != nil {
		return false, err
	}
	list, err := readAllowed()
	return slices.Contains(list.Place, place), err
}

func (a *App) place(ctx context.Context) (allowedPlace, error) {
	commands, err := a.localCommands(ctx)
	if err != nil {
		return allowedPlace{}, err
	}
	path, err := filepath.EvalSymlinks(a.Repo.CommonDir())
	sum := sha256.Sum256([]byte(strings.Join(commands, "\x00")))
	return allowedPlace{path, hex.EncodeToString(sum[:])}, err
}

// NotAllowed lists what the repository's own configuration would start, and may not yet.
func (a *App) NotAllowed(ctx context.Context) ([]string, error) {
	commands, err := a.localCommands(ctx)
	if err != nil || len(commands) == 0 {
		return nil, err
	}
	if is, err := a.allowed(ctx); err != nil || is {
		return nil, err
	}
	return commands, nil
}

// Allow lets what the repository's own configuration says now count here, or no more. It gives what that is.
func (a *App) Allow(ctx context.Context, yes bool) ([]string, error) {
	place, err := a.place(ctx)
	if err != nil {
		return nil, err
	}
	list, err := readAllowed()
	if err != nil {
		return nil, err
	}
	list.Format = allowedFormat
	list.Place = slices.DeleteFunc(list.Place, func(p allowedPlace) bool {
		_, err := os.Stat(p.Path)
		return p.Path == place.Path || errors.Is(err, fs.ErrNotExist)
	})
	if yes {
		list.Place = append(list.Place, place)
	}
	text, err := toml.Marshal(list)
	if err != nil {
		return nil, fmt.Errorf("write the list of what is allowed: %w", err)
	}
	name, err := allowedName()
	if err != nil {
		return nil, err
	}
	if err := os.MkdirAll(filepath.Dir(name), 0o700); err != nil {
		return nil, fmt.Errorf("write the list of what is allowed: %w", err)
	}
	if err := replace(name, text, true); err != nil {
		return nil, err
	}
	return a.localCommands(ctx)
}

// AllowHere allows what the repository's own configuration says now.
func (a *App) AllowHere() error {
	_, err := a.Allow(context.Background(), true)
	return err
}

// UnallowedRefusal is the refusal where a setting is there, but not allowed; nil where it is not there.
func (a *App) UnallowedRefusal(ctx context.Context, key string) error {
	commands, err := a.NotAllowed(ctx)
	if err != nil {
		return err
	}
	for _, c := range commands {
		if strings.HasPrefix(c, key+" = ") {
			question := "This repository's own configuration has " + safe.Line(c) + ", which you have not allowed here."
			return &Refusal{Question: question, Reason: question + " Nothing was started. Allow it: bastel allow.", Err: ErrNotAllowed}
		}
	}
	return nil
}
