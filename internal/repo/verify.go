package repo

import (
	"bytes"
	"context"
	"strings"
)

// Signature is what the user's own programs say of a commit's signature.
type Signature struct {
	Good bool
	By   string // who signed, as far as that is said
	Said string // why it is not known to be good
}

// VerifyCommit has a commit's signature checked as the configuration says. The status lines of GnuPG begin with [GNUPG:]
// (doc/DETAILS of GnuPG); those of ssh-keygen say: Good "git" signature for NAME with …
func (r *Repo) VerifyCommit(ctx context.Context, id ID) (Signature, error) {
	var said bytes.Buffer
	out, err := r.invoke(ctx, invocation{args: []string{"verify-commit", "--raw", id.String()},
		stderr: func(text []byte) { said.Write(text) }})
	if err != nil && exitCode(err) != 1 {
		return Signature{}, err
	}
	s := Signature{Good: err == nil}
	for line := range strings.Lines(said.String() + string(out)) {
		line = strings.TrimSpace(line)
		status, isStatus := strings.CutPrefix(line, "[GNUPG:] ")
		switch {
		case isStatus && (strings.HasPrefix(status, "GOODSIG ") || strings.HasPrefix(status, "BADSIG ")):
			_, who, _ := strings.Cut(status, " ")
			_, s.By, _ = strings.Cut(who, " ")
		case isStatus && strings.HasPrefix(status, "NO_PUBKEY "):
			s.Said = "the key is not known here"
		case strings.HasPrefix(line, "Good ") && strings.Contains(line, " signature for "):
			_, who, _ := strings.Cut(line, " signature for ")
			s.By, _, _ = strings.Cut(who, " with ")
		case !isStatus && s.Said == "":
			s.Said = line
		}
	}
	return s, nil
}
