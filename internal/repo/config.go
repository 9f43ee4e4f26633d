package repo

import (
	"context"
	"fmt"
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
	if r.config != nil {
		return r.config, nil
	}
	config, err := r.readConfig(ctx)
	r.config = config
	return config, err
}

// ForgetConfig has the configuration read anew when it is needed next.
func (r *Repo) ForgetConfig() {
	r.configLock.Lock()
	defer r.configLock.Unlock()
	r.config = nil
}

// ConfigBool reads a truth value; what is not set is false.
func (r *Repo) ConfigBool(ctx context.Context, key string) (bool, error) {
	value, err := r.Config(ctx, key)
	switch strings.ToLower(value) {
	case "true", "yes", "on", "1":
		return true, err
	}
	return false, err
}

func (r *Repo) readConfig(ctx context.Context) (map[string][]ConfigValue, error) {
	out, err := r.run(ctx, nil, "config", "--list", "-z", "--show-scope")
	if err != nil {
		return nil, fmt.Errorf("read the configuration: %w", err)
	}
	config := map[string][]ConfigValue{}
	scope := ""
	for record := range strings.SplitSeq(string(out), "\x00") {
		if scope == "" { // a scope, then what it has
			scope = record
			continue
		}
		key, value, hasValue := strings.Cut(record, "\n")
		local := scope == "local" || scope == "worktree"
		scope = ""
		if !hasValue {
			value = "true"
		}
		config[key] = append(config[key], ConfigValue{value, local})
	}
	return config, nil
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
