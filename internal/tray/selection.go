package tray

import (
	"fmt"
	"maps"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// Selection names what of some changes is meant: a whole file, a hunk, or lines of a hunk. Where Path and Hunk are
// both there, as of a name that may be either, a file goes first.
type Selection struct {
	Path  string
	Hunk  string       // by its id
	Lines map[int]bool // of the hunk, by their places in Hunk.Lines, counted from 0; nil: all of it
}

// LinesOfHunks are lines by the hunk's id, and by their places in Hunk.Lines.
type LinesOfHunks map[string]map[int]bool

// Select names whole hunks by their ids.
func Select(ids ...string) []Selection {
	list := make([]Selection, len(ids))
	for i, id := range ids {
		list[i].Hunk = id
	}
	return list
}

// SelectFiles names whole files.
func SelectFiles(paths ...string) []Selection {
	list := make([]Selection, len(paths))
	for i, path := range paths {
		list[i].Path = path
	}
	return list
}

// Equal says whether both mean the same.
func (s Selection) Equal(other Selection) bool {
	return s.Path == other.Path && s.Hunk == other.Hunk && maps.Equal(s.Lines, other.Lines)
}

// String writes the selection in short, for logs.
func (s Selection) String() string {
	switch {
	case s.Path != "":
		return s.Path
	case s.Lines == nil:
		return s.Hunk
	}
	var numbers []string
	for _, at := range slices.Sorted(maps.Keys(s.Lines)) {
		numbers = append(numbers, strconv.Itoa(at+1))
	}
	return s.Hunk + ":" + strings.Join(numbers, ",")
}

// likeID are words that may be the id of a hunk.
var likeID = regexp.MustCompile(fmt.Sprintf(`^[0-9a-f]{%d}$`, 2*idBytes))

// ParseSelections reads words of a command line: a path is a whole file, a hunk's id the hunk. With lines, such as "3,5-7", counted
// from 1 over all the lines shown of it, only those of the one hunk are meant. Errors: ErrBadPick.
func ParseSelections(words []string, lines string) ([]Selection, error) {
	list := make([]Selection, len(words))
	for i, word := range words {
		list[i].Path = word
		if likeID.MatchString(word) {
			list[i].Hunk = word
		}
	}
	if lines == "" {
		return list, nil
	}
	if len(list) != 1 || list[0].Hunk == "" {
		return nil, fmt.Errorf("lines %s of one hunk, named by its id: %w", lines, ErrBadPick)
	}
	var err error
	if list[0].Lines, err = parseLines(lines); err != nil {
		return nil, fmt.Errorf("lines %s: %w: %v", lines, ErrBadPick, err)
	}
	return list, nil
}

// parseLines reads "3,5-7"; the result counts from 0.
func parseLines(text string) (map[int]bool, error) {
	chosen := map[int]bool{}
	for part := range strings.SplitSeq(text, ",") {
		from, to, isRange := strings.Cut(part, "-")
		if !isRange {
			to = from
		}
		low, err1 := strconv.Atoi(from)
		high, err2 := strconv.Atoi(to)
		if err1 != nil || err2 != nil {
			return nil, fmt.Errorf("%q is not a line number or a range of them", part)
		}
		if low < 1 || high < low || high > math.MaxInt32 || high-low > mostLines {
			return nil, fmt.Errorf("%q is no range of lines, which count from 1", part)
		}
		for n := low; n <= high; n++ {
			chosen[n-1] = true
		}
	}
	return chosen, nil
}

// mostLines is how long a range of lines may be: no hunk that is sorted by lines is longer.
const mostLines = 10_000_000
