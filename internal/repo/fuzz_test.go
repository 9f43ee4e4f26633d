package repo

import (
	"bufio"
	"bytes"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What comes from the repository's commands and objects is read without a panic, and an object that is read is written as it was.

func FuzzStatus(f *testing.F) {
	f.Add("1 .M N... 100644 100644 100644 " + strings.Repeat("a", 40) + " " + strings.Repeat("b", 40) +
		" a file\x00? new\x00u UU N... 1 2 3 4 a b c p\x00")
	f.Add("?")
	f.Add("? ")
	f.Fuzz(func(t *testing.T, out string) {
		changes, err := parseStatus(out)
		if err == nil {
			for _, c := range changes {
				assert.NotEmpty(t, c.Path+" ")
			}
		}
	})
}

func FuzzCommit(f *testing.F) {
	f.Add([]byte("tree " + strings.Repeat("a", 40) + "\nauthor A <a@x> 1 +0000\ncommitter A <a@x> 1 +0000\ngpgsig x\n y\n\nm\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		c, err := ParseCommit(data)
		if err != nil {
			return
		}
		again, err := ParseCommit(c.Encode())
		require.NoError(t, err)
		assert.Equal(t, c.Author, again.Author)
		assert.Equal(t, c.Message, again.Message)
		assert.Equal(t, c.Parents, again.Parents)
	})
}

func FuzzTree(f *testing.F) {
	f.Add([]byte("100644 a\x00" + strings.Repeat("i", 20) + "40000 d\x00" + strings.Repeat("j", 20)))
	f.Fuzz(func(t *testing.T, data []byte) {
		if tree, err := ParseTree(data, 20); err == nil && bytes.Equal(tree.Encode(), data) {
			_, err = ParseTree(tree.Encode(), 20)
			assert.NoError(t, err)
		}
	})
}

// FuzzIndex: whatever the index's file holds, what is taken from it lies within it.
func FuzzIndex(f *testing.F) {
	entry := strings.Repeat("\x00", entryStats) + strings.Repeat("i", 20)
	for version := range byte(6) {
		f.Add([]byte("DIRC\x00\x00\x00" + string(version) + "\x00\x00\x00\x02" + entry + "\x00\x01\x00a\x00\x00\x00" +
			entry + "\x40\x01\x00\x00\x01ab\x00\x00\x00TREE\x00\x00\x00\x01x" + strings.Repeat("s", 20)))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		seen := 0
		walkIndex(bytes.NewReader(data), int64(len(data)), 20, func(e indexed) {
			assert.Len(t, e.id, 20)
			seen++
		})
		assert.LessOrEqual(t, seen*entryStats, len(data))
	})
}

// TestClaimsOfSize: an object that claims to be larger than anything takes no memory for it.
func TestClaimsOfSize(t *testing.T) {
	for _, size := range []int64{1 << 62, 1<<63 - 1, -1, trusted + 1} {
		_, err := readClaimed(bufio.NewReader(strings.NewReader("short\n")), size)
		assert.ErrorIs(t, err, ErrBadObject)
	}
	data, err := readClaimed(bufio.NewReader(strings.NewReader("short\n")), 5)
	require.NoError(t, err)
	assert.Equal(t, "short", string(data))
}

// TestShortRecords: a line of the status that is cut off is an error.
func TestShortRecords(t *testing.T) {
	for _, out := range []string{"?", "1", "u", "? ", "1 .M", "x y z"} {
		_, err := parseStatus(out)
		assert.Error(t, err, out)
	}
}
