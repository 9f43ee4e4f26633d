package planning_test

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/app"
	"bastel/internal/app/planning"
	"bastel/internal/app/sorting"
	"bastel/internal/tray"
	"bastel/test/fixture"
	"bastel/test/opened"
)

// signing has the configuration ask for signatures by a key of its own, made by the real
// program for that.
func signing(t *testing.T, f *fixture.Repo) {
	dir := t.TempDir()
	key := filepath.Join(dir, "key")
	require.NoError(t, exec.Command("ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", key).Run())
	public, err := os.ReadFile(key + ".pub")
	require.NoError(t, err)
	allowed := filepath.Join(dir, "allowed")
	require.NoError(t, os.WriteFile(allowed, append([]byte("ines@lanternquay.example "), public...), 0o666))
	for key, value := range map[string]string{"commit.gpgSign": "true", "gpg.format": "ssh", "user.signingKey": key,
		"gpg.ssh.allowedSignersFile": allowed} {
		f.Git("config", key, value)
	}
}

// verified says of each commit of the branch, the newest first, whether its signature is
// good.
func verified(f *fixture.Repo) (good []bool) {
	for id := range strings.FieldsSeq(f.Git("rev-list", "main..feature")) {
		_, err := f.Run("verify-commit", id)
		good = append(good, err == nil)
	}
	return good
}

func TestRewrittenCommitsAreSignedAnew(t *testing.T) {
	f := opened.Feature(t)
	f.Git("-c", "i18n.commitEncoding=ISO-8859-1", "commit", "--quiet", "--allow-empty", "-m", "gr\xfcn")
	f.Git("branch", "below", "feature~1")
	signing(t, f)
	a := opened.App(t, f.Dir)
	plan, err := a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	plan = plan.Move(1, 0).Reword(0, "two, first\n")
	forecast, err := planning.Of(a).Forecast(ctx, plan, nil)
	require.NoError(t, err)
	assert.Zero(t, forecast.Signatures)
	result, err := planning.Of(a).Apply(ctx, plan, app.OwnOnly, nil)
	require.NoError(t, err)
	assert.Zero(t, result.Signatures)
	assert.Equal(t, f.Git("rev-parse", "feature"), result.New.String())
	assert.Equal(t, []bool{true, true, true, true}, verified(f))
	assert.Equal(t, f.Git("rev-parse", "feature~1"), f.Git("rev-parse", "below"), "the stack goes where the signed ones are")
	assert.Equal(t, "grün", f.Git("log", "-1", "--format=%s"))
	assert.Contains(t, f.Git("cat-file", "commit", "HEAD"), "\nencoding ISO-8859-1\n")
	f.Git("fsck", "--strict")

	// What stays as it is keeps the signature that it has.
	before := f.Git("rev-parse", "feature~1")
	plan, err = a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	_, err = planning.Of(a).Apply(ctx, plan.Reword(3, "last\n"), app.OwnOnly, nil)
	require.NoError(t, err)
	assert.Equal(t, before, f.Git("rev-parse", "feature~1"))
	assert.Equal(t, []bool{true, true, true, true}, verified(f))
	_, err = planning.Of(a).Undo(ctx)
	require.NoError(t, err)
	assert.Equal(t, []bool{true, true, true, true}, verified(f))

	// Sending home and sweeping rewrite too.
	f.Write("new", "n\nm, joined\n")
	homes, err := sorting.Of(a).FindHomes(ctx, tray.Loose, nil, tray.Plain)
	require.NoError(t, err)
	_, err = sorting.Of(a).SendHome(ctx, tray.Loose, tray.Plain, []sorting.HomeMove{{Fixup: homes.Homes[0].Fixup.Selection(),
		Home: homes.Homes[0].Commit}})
	require.NoError(t, err)
	assert.Equal(t, []bool{true, true, true, true}, verified(f))
	assert.Empty(t, f.Git("status", "--porcelain"))
}

// TestWhatCannotBeSigned: an author whose name the signing would change stays as it is, and
// goes without; a signer that fails changes nothing.
func TestWhatCannotBeSigned(t *testing.T) {
	f := opened.Feature(t)
	f.Git("commit", "--quiet", "--allow-empty", "-m", "by another")
	id := strings.Replace(f.Git("cat-file", "commit", "HEAD"), "author Ines Falk <", "author Oskar Jr. <", 1)
	f.Write("commit", id+"\n")
	f.Git("reset", "--quiet", "--hard", f.Git("hash-object", "-w", "-t", "commit", "commit"))
	require.NoError(t, os.Remove(filepath.Join(f.Dir, "commit")))
	signing(t, f)
	a := opened.App(t, f.Dir)
	plan, err := a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	result, err := planning.Of(a).Apply(ctx, plan.Reword(0, "one, reworded\n"), app.OwnOnly, nil)
	require.NoError(t, err)
	assert.Equal(t, 1, result.Signatures, "said to be lost")
	assert.Equal(t, []bool{false, true, true, true}, verified(f))
	assert.Contains(t, f.Git("cat-file", "commit", "HEAD"), "author Oskar Jr. <ines@")

	f.Write("signer", "#!/bin/sh\necho the card is not in the reader >&2\nexit 1\n")
	require.NoError(t, os.Chmod(filepath.Join(f.Dir, "signer"), 0o777))
	f.Git("config", "gpg.ssh.program", filepath.Join(f.Dir, "signer"))
	state := f.Git("for-each-ref") + f.Git("status", "--porcelain")
	plan, err = a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	_, err = planning.Of(a).Apply(ctx, plan.Reword(0, "again\n"), app.OwnOnly, nil)
	assert.Contains(t, opened.Refusal(t, err), "the card is not in the reader")
	assert.Equal(t, state, f.Git("for-each-ref")+f.Git("status", "--porcelain"))
}

// TestSignaturesAreCheckedWhereACommitIsLookedAt: as the repository's own command does, with the configured programs.
func TestSignaturesAreCheckedWhereACommitIsLookedAt(t *testing.T) {
	f := opened.Feature(t)
	plain := f.Git("rev-parse", "HEAD")
	signing(t, f)
	f.Git("commit", "--quiet", "--allow-empty", "-S", "-m", "signed")
	good := f.Git("rev-parse", "HEAD")
	f.Write("raw", strings.Replace(f.Git("cat-file", "commit", good), "\n\nsigned", "\n\nforged", 1)+"\n")
	forged := f.Git("hash-object", "-t", "commit", "-w", "raw")
	a := opened.App(t, f.Dir)
	said := func(id string) string {
		out, err := a.ReadOut(ctx, fixture.ID(t, id))
		require.NoError(t, err)
		require.NoError(t, a.CheckSignature(ctx, &out))
		return out.Signature
	}
	assert.Empty(t, said(plain))
	assert.Equal(t, "signed by ines@lanternquay.example; the signature is good", said(good))
	assert.Contains(t, said(forged), "could not be confirmed")
	f.Git("config", "--unset", "gpg.ssh.allowedSignersFile")
	assert.Contains(t, said(good), "could not be confirmed")
}
