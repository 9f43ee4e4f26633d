package repo_test

import (
	"context"
	"fmt"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"bastel/internal/repo"
	"bastel/test/fixture"
)

// TestReadingAheadChangesNothing: whatever several say to need soon, in whatever order, with whom giving up in between, with
// objects that are missing and with more of them than memory keeps, each gets what reading one by one gives.
func TestReadingAheadChangesNothing(t *testing.T) {
	f := fixture.New(t)
	r := f.Open(t)
	var ids []repo.ID
	texts := map[repo.ID]string{}
	files := []string{}
	for i := range 60 {
		text := strings.Repeat(fmt.Sprintf("line of %d\n", i), 1+i*i)
		if i%12 == 0 {
			text = strings.Repeat(text, 7<<20/len(text)) // five of them are more than is kept
		}
		files = append(files, fmt.Sprint("file", i), text)
		id := r.HashObject(repo.KindBlob, []byte(text))
		ids, texts[id] = append(ids, id), text
	}
	f.Commit("texts", files...)
	ids = append(ids, r.HashObject(repo.KindBlob, []byte("nowhere")))
	rapid.Check(t, func(draw *rapid.T) {
		o := r.NewOverlay()
		var readers sync.WaitGroup
		for range rapid.IntRange(1, 3).Draw(draw, "readers") {
			some := rapid.SliceOfN(rapid.SampledFrom(ids), 1, 80).Draw(draw, "ids")
			wanted := rapid.Permutation(some).Draw(draw, "wanted")
			givesUp := rapid.IntRange(0, 160).Draw(draw, "gives up")
			readers.Go(func() {
				ctx, stop := context.WithCancel(ctx)
				defer stop()
				o.Prefetch(ctx, some)
				for i, id := range wanted {
					if i == givesUp {
						return
					}
					object, err := o.Object(ctx, id)
					if text, there := texts[id]; there {
						require.NoError(t, err)
						require.True(t, text == string(object.Data), "%s", id)
					} else {
						assert.ErrorIs(t, err, repo.ErrMissingObject)
					}
				}
			})
		}
		readers.Wait()
	})
}
