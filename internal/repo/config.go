package repo

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
)

// Config gives the last value of a key of the repository's configuration, from
// one reading of all of it; see ForgetConfig. Section and name are compared without case.
func (r *Repo) Config(ctx context.Context, key string) (string, error) {
	values, err := r.ConfigAll(ctx, key)
	if err != nil || len(values) == 0 {
		return "", err
	}
	return values[len(values)-1], nil
}

// ConfigAll gives all values of a key, in the order in which they apply.
func (r *Repo) ConfigAll(ctx context.Context, key string) ([]string, error) {
	values, err := r.ConfigValues(ctx, key)
	list := make([]string, len(values))
	for i, v := range values {
		list[i] = v.Value
	}
	return list, err
}

// ConfigValue is a value, and whether the repository's own files have it, which may have come from elsewhere.
type ConfigValue struct {
	Value string
	Local bool
}

// ConfigValues gives all values of a key with where they are from, in the order in which they apply.
func (r *Repo) ConfigValues(ctx context.Context, key string) ([]ConfigValue, error) {
	config, err := r.configuration(ctx)
	return config[canonicalKey(key)], err
}

// configuration is all of it, as it was when it was last read.
func (r *Repo) configuration(ctx context.Context) (map[string][]ConfigValue, error) {
	r.configLock.Lock()
	defer r.configLock.Unlock()
	now := r.configStamp()
	if r.config != nil && r.configAt == now.b.String() && now.settled() {
		return r.config, nil
	}
	config, files, err := r.readConfig(ctx)
	if err != nil {
		return nil, err
	}
	r.config, r.configFrom, r.committer = config, files, ""
	r.configAt = r.configStamp().b.String()
	return config, nil
}

// ForgetConfig has the configuration read anew when it is needed next.
func (r *Repo) ForgetConfig() {
	r.configLock.Lock()
	defer r.configLock.Unlock()
	r.config = nil
}

// Truth reads a value as the configuration has truths: a word, or a number, of which zero is no. What is none of these, or not set,
// is taken otherwise.
func Truth(value string, otherwise bool) bool {
	switch strings.ToLower(value) {
	case "true", "yes", "on":
		return true
	case "false", "no", "off":
		return false
	}
	if n, err := strconv.Atoi(value); err == nil {
		return n != 0
	}
	return otherwise
}

// ConfigBool reads a truth value; what is not set is false.
func (r *Repo) ConfigBool(ctx context.Context, key string) (bool, error) {
	value, err := r.Config(ctx, key)
	return Truth(value, false), err
}

// FollowsRenames says whether files are followed through their renames where changes are shown: unless `diff.renames` says no.
func (r *Repo) FollowsRenames(ctx context.Context) (bool, error) {
	value, err := r.Config(ctx, "diff.renames")
	return Truth(value, true), err
}

// configStamp is what the configuration depends on: its files, those that could be there, and
// HEAD, since parts may be for one branch alone. It wants the lock.
func (r *Repo) configStamp() *stamps {
	s := &stamps{}
	s.add(filepath.Join(r.gitDir, "HEAD"), filepath.Join(r.commonDir, "config"), filepath.Join(r.gitDir, "config.worktree"), "/etc/gitconfig")
	if global, ok := os.LookupEnv("GIT_CONFIG_GLOBAL"); ok {
		s.add(global)
	} else if home, err := os.UserHomeDir(); err == nil {
		s.add(filepath.Join(home, ".gitconfig"), filepath.Join(cmp.Or(os.Getenv("XDG_CONFIG_HOME"), filepath.Join(home, ".config")), "git",
			"config"))
	}
	s.add(r.configFrom...)
	return s
}

// configFiles are the files that the configuration was read from.
func (r *Repo) configFiles() []string {
	r.configLock.Lock()
	defer r.configLock.Unlock()
	return append([]string{filepath.Join(r.commonDir, "config")}, r.configFrom...)
}

// readConfig reads all of it, with the files that it came from.
func (r *Repo) readConfig(ctx context.Context) (config map[string][]ConfigValue, files []string, err error) {
	out, err := r.run(ctx, nil, "config", "--list", "-z", "--show-scope", "--show-origin")
	if err != nil {
		return nil, nil, fmt.Errorf("read the configuration: %w", err)
	}
	config = map[string][]ConfigValue{}
	fields := strings.Split(strings.TrimSuffix(string(out), "\x00"), "\x00") // scope, origin, key and value, over and over
	for ; len(fields) >= 3; fields = fields[3:] {
		scope, origin := fields[0], fields[1]
		key, value, hasValue := strings.Cut(fields[2], "\n")
		if !hasValue {
			value = "true"
		}
		config[key] = append(config[key], ConfigValue{value, scope == "local" || scope == "worktree"})
		if name, ok := strings.CutPrefix(origin, "file:"); ok {
			if !filepath.IsAbs(name) {
				name = filepath.Join(r.top, name)
			}
			if !slices.Contains(files, name) {
				files = append(files, name)
			}
		}
	}
	return config, files, nil
}

// canonicalKey writes section and name in lower case, as the listing does.
func canonicalKey(key string) string {
	first, last := strings.IndexByte(key, '.'), strings.LastIndexByte(key, '.')
	if first < 0 || first == last {
		return strings.ToLower(key)
	}
	return strings.ToLower(key[:first]) + key[first:last] + strings.ToLower(key[last:])
}

// SetConfig sets a key in the repository's own configuration.
func (r *Repo) SetConfig(ctx context.Context, key, value string) error {
	if _, err := r.run(ctx, nil, "config", "--local", key, value); err != nil {
		return fmt.Errorf("set %s: %w", key, err)
	}
	r.ForgetConfig()
	return nil
}

// ErrNoConfigFile is a configuration of the user's that is kept in no file.
var ErrNoConfigFile = errors.New("the user's own git configuration is no file")

// SetOwnConfig writes a key into the user's own configuration. Where that is no file, such as a device, it is left alone: the file
// is replaced when it is written. Errors: ErrNoConfigFile.
func (r *Repo) SetOwnConfig(ctx context.Context, key, value string) error {
	if name, set := os.LookupEnv("GIT_CONFIG_GLOBAL"); set {
		if info, err := os.Stat(name); name == "" || err == nil && !info.Mode().IsRegular() {
			return fmt.Errorf("set %s in %q: %w", key, name, ErrNoConfigFile)
		}
	}
	if _, err := r.run(ctx, nil, "config", "--global", key, value); err != nil {
		return fmt.Errorf("set %s: %w", key, err)
	}
	r.ForgetConfig()
	return nil
}

// UnsetConfig takes a key out of the repository's own configuration.
func (r *Repo) UnsetConfig(ctx context.Context, key string) error {
	if _, err := r.run(ctx, nil, "config", "--local", "--unset-all", key); err != nil && exitCode(err) != notSet {
		return fmt.Errorf("unset %s: %w", key, err)
	}
	r.ForgetConfig()
	return nil
}

// notSet is the status of git config where a key to be taken out is not there.
const notSet = 5
