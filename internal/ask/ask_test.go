package ask_test

import (
	"context"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/ask"
)

func TestMain(m *testing.M) {
	ask.Main()
	os.Exit(m.Run())
}

func TestRead(t *testing.T) {
	for prompt, want := range map[string]ask.Question{
		"Username for 'https://quay.example': ": {Text: "Username for 'https://quay.example':"},
		"Password for 'https://ines@quay.example': ": {Text: "Password for 'https://ines@quay.example':",
			Secret: true},
		"Enter passphrase for key '/home/ines/.ssh/id': ": {Text: "Enter passphrase for key '/home/ines/.ssh/id':",
			Secret: true},
		"Are you sure you want to continue connecting (yes/no/[fingerprint])? " +
			"": {Text: "Are you sure you want to continue connecting (yes/no/[fingerprint])?", Confirm: true},
		"ines@quay.example's password: ": {Text: "ines@quay.example's password:", Secret: true},
		"One-time code: ":                {Text: "One-time code:", Secret: true},
		"The key is not known\nContinue (yes/no)? ": {Text: "The key is not known\nContinue (yes/no)?",
			Confirm: true},
		"": {Secret: true},
	} {
		assert.Equal(t, want, ask.Read(ask.Prompt{Words: prompt}))
	}
	assert.Equal(t, ask.Question{Text: "Touch your key", Notice: true}, ask.Read(ask.Prompt{Words: "Touch your key", Hint: "none"}))
	assert.Equal(t, ask.Question{Text: "Allow use of key?", Confirm: true}, ask.Read(ask.Prompt{Words: "Allow use of key?", Hint: "confirm"}))
}

// TestOverTheSocket: the program is started as a command would start it.
func TestOverTheSocket(t *testing.T) {
	heard := make(chan ask.Question, 9)
	hangs := make(chan struct{})
	server, err := ask.Listen(t.Context(), func(ctx context.Context, q ask.Question) (string, error) {
		heard <- q
		switch {
		case strings.Contains(q.Text, "nothing"):
			return "", ask.ErrNoAnswer
		case strings.Contains(q.Text, "hang"):
			close(hangs)
			<-ctx.Done()
			return "", ctx.Err()
		}
		return " tide table ", nil
	})
	require.NoError(t, err)
	env := server.Env()
	_, link, _ := strings.Cut(env[1], "=")
	start := func(prompt string) *exec.Cmd {
		cmd := exec.Command(link, prompt)
		cmd.Env = append(os.Environ(), env...)
		return cmd
	}
	out, err := start("Password for 'x': ").Output()
	require.NoError(t, err)
	assert.Equal(t, " tide table \n", string(out))
	assert.True(t, (<-heard).Secret)
	confirm := start("Allow?")
	confirm.Env = append(confirm.Env, "SSH_ASKPASS_PROMPT=confirm")
	assert.Error(t, confirm.Run(), "the status says no")
	assert.True(t, (<-heard).Confirm)
	out, err = start("nothing").Output()
	assert.Error(t, err)
	assert.Empty(t, out)

	info, err := os.Stat(filepath.Dir(link))
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o700), info.Mode().Perm(), "nobody else may answer or listen")

	stopped := start("hang")
	require.NoError(t, stopped.Start())
	<-hangs
	began := time.Now()
	require.NoError(t, server.Close())
	assert.Error(t, stopped.Wait(), "who still waits gets no answer")
	assert.Less(t, time.Since(began), 10*time.Second)
	assert.NoDirExists(t, filepath.Dir(link))
	assert.Error(t, start("after").Run())
}
