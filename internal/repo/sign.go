package repo

import (
	"context"
	"errors"
	"fmt"
	"os"
	"strconv"
	"strings"
)

// ErrNotSignable is a commit that the repository's own way to sign would change.
var ErrNotSignable = errors.New("the commit cannot be signed as it is")

// Signs says whether the configuration asks for signatures.
func (r *Repo) Signs(ctx context.Context) (bool, error) { return r.ConfigBool(ctx, "commit.gpgSign") }

// SignCommit stores a commit with a signature; its tree and parents must be stored. The
// repository signs only commits that it makes itself, so it is given all parts of this
// one, and what comes out is held against it. Errors: ErrNotSignable, or what the signer
// had to say.
func (r *Repo) SignCommit(ctx context.Context, c *Commit) (ID, error) {
	for _, h := range c.Extra {
		return ID{}, fmt.Errorf("it has the header %s: %w", h.Key, ErrNotSignable)
	}
	in := invocation{args: []string{"commit-tree", c.Tree.String(), "-S", "-F", "-"}, stdin: strings.NewReader(c.Message)}
	for _, parent := range c.Parents {
		in.args = append(in.args, "-p", parent.String())
	}
	in.env = append(identity("AUTHOR", c.Author), identity("COMMITTER", c.Committer)...)
	if c.Encoding != "" {
		in.env = append(in.env, oneMoreSetting("i18n.commitEncoding", c.Encoding)...)
	}
	out, err := r.invoke(ctx, in)
	if err != nil {
		return ID{}, fmt.Errorf("sign a commit: %w", err)
	}
	id, err := ParseID(strings.TrimSpace(string(out)))
	if err != nil {
		return ID{}, err
	}
	made, err := r.Commit(ctx, id)
	if err != nil {
		return ID{}, err
	}
	if made.Author != c.Author || made.Committer != c.Committer || made.Message != c.Message || made.Encoding != c.Encoding {
		return ID{}, fmt.Errorf("its author or message would change: %w", ErrNotSignable)
	}
	return id, nil
}

// oneMoreSetting adds to the settings that the environment may have already.
func oneMoreSetting(key, value string) []string { return moreSettings([2]string{key, value}) }

// moreSettings adds several of them.
func moreSettings(settings ...[2]string) []string {
	n, err := strconv.Atoi(os.Getenv("GIT_CONFIG_COUNT"))
	if err != nil {
		n = 0
	}
	env := []string{fmt.Sprintf("GIT_CONFIG_COUNT=%d", n+len(settings))}
	for i, s := range settings {
		env = append(env, fmt.Sprintf("GIT_CONFIG_KEY_%d=%s", n+i, s[0]), fmt.Sprintf("GIT_CONFIG_VALUE_%d=%s", n+i, s[1]))
	}
	return env
}

// identity gives a line such as "Name <address> seconds zone" to a command.
func identity(role, line string) []string {
	name, rest, _ := strings.Cut(line, " <")
	address, date, _ := strings.Cut(rest, "> ")
	return []string{"GIT_" + role + "_NAME=" + name, "GIT_" + role + "_EMAIL=" + address, "GIT_" + role + "_DATE=@" + date}
}
