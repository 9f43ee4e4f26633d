package wording_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"bastel/internal/wording"
)

func TestCount(t *testing.T) {
	for want, got := range map[string]string{"1 entry": wording.Count(1, "entry"), "2 entries": wording.Count(2, "entry"),
		"0 hunks": wording.Count(0, "hunk"), "3 branches": wording.Count(3, "branch"), "2 keys": wording.Count(2, "key"),
		"2 trays": wording.Count(2, "tray"),
		"hunk":    wording.Noun(1, "hunk")} {
		assert.Equal(t, want, got)
	}
}
