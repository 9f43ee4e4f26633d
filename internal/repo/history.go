package repo

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"iter"
	"strconv"
	"strings"
	"time"
)

// DatedCommit is a commit, what it is made on, and when that was by its committer's clock.
type DatedCommit struct {
	CommitParents
	When time.Time
}

// Sequence says in which order a walk gives commits.
type Sequence string

// The sequences: the newest date first, as they are found, so that a reader who stops early has paid only for what it read;
// or each commit before those that it is made on, for which all of the history is read first. Where clocks were wrong, the
// first one gives some commits before others that are made on them.
const (
	ByDate  Sequence = ""
	ByOrder Sequence = "--topo-order"
)

// History walks from tips back to the first commits, as one process finds them.
func (r *Repo) History(ctx context.Context, tips []ID, sequence Sequence) iter.Seq2[DatedCommit, error] {
	return func(yield func(DatedCommit, error) bool) {
		ctx, stop := context.WithCancel(ctx)
		defer stop()
		var in strings.Builder
		for _, tip := range tips {
			fmt.Fprintln(&in, tip)
		}
		args := []string{"rev-list", "--parents", "--timestamp", "--stdin"}
		if sequence != ByDate {
			args = append(args, string(sequence))
		}
		cmd, err := r.command(ctx, invocation{args: args, stdin: strings.NewReader(in.String())})
		if err != nil {
			yield(DatedCommit{}, err)
			return
		}
		said := &bytes.Buffer{}
		cmd.Stderr = said
		out, err := cmd.StdoutPipe()
		began := time.Now()
		if err == nil {
			err = cmd.Start()
		}
		if err != nil {
			yield(DatedCommit{}, fmt.Errorf("walk down the history: %w", err))
			return
		}
		lines := bufio.NewScanner(out)
		lines.Buffer(nil, 1<<20) // a commit may have many parents
		for lines.Scan() {
			c, err := parseDated(lines.Text())
			if !yield(c, err) || err != nil {
				stop()
				_ = cmd.Wait() // it was stopped
				r.logProcess(ctx, args, began, nil)
				return
			}
		}
		err = lines.Err()
		if ended := cmd.Wait(); ended != nil {
			err = r.failure(ctx, args, ended, said.String())
		}
		r.logProcess(ctx, args, began, err)
		if err != nil {
			yield(DatedCommit{}, fmt.Errorf("walk down the history: %w", err))
		}
	}
}

// parseDated reads a line of rev-list with --timestamp and --parents.
func parseDated(line string) (DatedCommit, error) {
	date, rest, _ := strings.Cut(line, " ")
	seconds, err := strconv.ParseInt(date, 10, 64)
	if err != nil {
		return DatedCommit{}, fmt.Errorf("walk down the history: line %q: %w", line, err)
	}
	commits, err := parseParents([]byte(rest + "\n"))
	if err != nil || len(commits) != 1 {
		return DatedCommit{}, fmt.Errorf("walk down the history: line %q: %w", line, errors.Join(err, ErrBadID))
	}
	return DatedCommit{commits[0], time.Unix(seconds, 0)}, nil
}
