package repo

import (
	"bytes"
	"io"
	"os"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestAPipeIsReadWhole, whether its pieces come while the reader is attentive or when it sleeps; closed, it is waited for no more.
func TestAPipeIsReadWhole(t *testing.T) {
	for name, pause := range map[string]time.Duration{"at once": 0, "soon": attention / 10, "late": 4 * attention} {
		t.Run(name, func(t *testing.T) {
			from, to, err := os.Pipe()
			require.NoError(t, err)
			t.Cleanup(func() { from.Close() })
			var want bytes.Buffer
			for i := range 50 {
				want.Write(bytes.Repeat([]byte{byte(i)}, 1+i*300))
			}
			go func() {
				defer to.Close()
				for rest := want.Bytes(); len(rest) > 0; rest = rest[min(len(rest), 9000):] {
					_, _ = to.Write(rest[:min(len(rest), 9000)])
					time.Sleep(pause)
				}
			}()
			got, err := io.ReadAll(attend(from))
			require.NoError(t, err)
			assert.True(t, bytes.Equal(want.Bytes(), got))
		})
	}
	from, to, err := os.Pipe()
	require.NoError(t, err)
	t.Cleanup(func() { to.Close() })
	ended := make(chan error)
	go func() {
		_, err := attend(from).Read(make([]byte, 1))
		ended <- err
	}()
	require.NoError(t, from.Close())
	assert.Error(t, <-ended)
}
