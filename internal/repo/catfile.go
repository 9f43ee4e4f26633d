package repo

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"os/exec"
	"slices"
	"strconv"
	"strings"
	"sync"
)

// Kind is the type of an object.
type Kind string

// The kinds of objects.
const (
	KindBlob   Kind = "blob"
	KindTree   Kind = "tree"
	KindCommit Kind = "commit"
	KindTag    Kind = "tag"
)

// Object is an object's kind and bytes. The bytes must not be changed.
type Object struct {
	Kind Kind
	Data []byte
}

// catFile is one long-lived `cat-file --batch-command`. Requests are answered in
// the order in which they were sent; a lock keeps question and answer together.
type catFile struct {
	repo *Repo
	ctx  context.Context
	stop context.CancelFunc

	mu     sync.Mutex
	cmd    *exec.Cmd
	stdin  io.WriteCloser
	out    *bufio.Reader
	said   *bytes.Buffer // on its standard error; to be read once it has ended
	broken error
}

func newCatFile(ctx context.Context, r *Repo) *catFile {
	ctx, stop := context.WithCancel(ctx)
	return &catFile{repo: r, ctx: ctx, stop: stop}
}

// begin starts the process, so that it is there when it is needed.
func (c *catFile) begin() error {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.start()
}

// ready waits until the process answers.
func (c *catFile) ready(ctx context.Context) error {
	return c.batch(ctx, "info", []string{"HEAD"}, func(int, string, *bufio.Reader) error { return nil })
}

func (c *catFile) start() error {
	if c.cmd != nil && c.broken == nil {
		return nil
	}
	if err := c.ctx.Err(); err != nil {
		return fmt.Errorf("read objects: %w", err)
	}
	cmd, err := c.repo.command(c.ctx, invocation{args: []string{"cat-file", "--batch-command", "--buffer"}})
	if err != nil {
		return err
	}
	stdin, err := cmd.StdinPipe()
	if err != nil {
		return fmt.Errorf("start object reader: %w", err)
	}
	stdout, err := cmd.StdoutPipe()
	if err != nil {
		return fmt.Errorf("start object reader: %w", err)
	}
	enlarge(stdout)
	said := &bytes.Buffer{}
	cmd.Stderr = said
	if err := cmd.Start(); err != nil {
		return fmt.Errorf("start object reader: %w", err)
	}
	c.cmd, c.stdin, c.out, c.said, c.broken = cmd, stdin, bufio.NewReaderSize(stdout, 1<<16), said, nil
	return nil
}

// batch sends one command per name and hands each answer to take, in order.
// Answers that nobody wants any more are still read, so that the process stays
// usable after an error.
func (c *catFile) batch(ctx context.Context, command string, names []string, take func(i int, head string, r *bufio.Reader) error) error {
	if err := ctx.Err(); err != nil {
		return err
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if err := c.start(); err != nil {
		return err
	}
	go func(stdin io.Writer) {
		w := bufio.NewWriter(stdin)
		for _, name := range names {
			w.WriteString(command)
			w.WriteByte(' ')
			w.WriteString(name)
			w.WriteByte('\n')
		}
		w.WriteString("flush\n")
		_ = w.Flush() // a broken pipe shows up on the reading side
	}(c.stdin)
	for i := range names {
		head, err := c.out.ReadString('\n')
		if err == nil {
			err = take(i, strings.TrimSuffix(head, "\n"), c.out)
		}
		if err != nil {
			c.drop(err)
			if said := strings.TrimSpace(c.said.String()); said != "" {
				return fmt.Errorf("read object %s: git cat-file: %s", names[i], said)
			}
			return fmt.Errorf("read object %s: %w", names[i], err)
		}
	}
	return nil
}

// drop ends a process whose answers can no longer be told apart; the next
// request starts another.
func (c *catFile) drop(err error) {
	c.broken = err
	_ = c.stdin.Close()
	_ = c.cmd.Process.Kill()
	_ = c.cmd.Wait()
}

func (c *catFile) close() error {
	c.stop()
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.cmd == nil || c.broken != nil {
		return nil
	}
	_ = c.stdin.Close()
	_ = c.cmd.Wait() // stopped on purpose: its status says nothing
	c.broken = io.EOF
	return nil
}

// parseHead reads "<id> <kind> <size>"; ok is false where the object is missing.
func parseHead(head string) (id ID, kind Kind, size int64, ok bool, err error) {
	if strings.HasSuffix(head, " missing") || strings.HasSuffix(head, " ambiguous") {
		return ID{}, "", 0, false, nil
	}
	fields := strings.Split(head, " ")
	if len(fields) != 3 {
		return ID{}, "", 0, false, fmt.Errorf("unexpected answer %q", head)
	}
	id, err = ParseID(fields[0])
	if err != nil {
		return ID{}, "", 0, false, err
	}
	size, err = strconv.ParseInt(fields[2], 10, 64)
	return id, Kind(fields[1]), size, true, err
}

// Object reads one object. Errors: ErrMissingObject.
func (r *Repo) Object(ctx context.Context, id ID) (Object, error) {
	objects, err := r.Objects(ctx, []ID{id})
	if err != nil {
		return Object{}, err
	}
	return objects[0], nil
}

// Objects reads several objects with one question, in the given order. Errors: ErrMissingObject.
func (r *Repo) Objects(ctx context.Context, ids []ID) ([]Object, error) {
	objects := make([]Object, len(ids))
	found := 0
	err := r.eachObject(ctx, ids, func(i int, object Object) {
		objects[i] = object
		found++
	})
	if err != nil {
		return nil, err
	}
	if found < len(ids) {
		i := slices.IndexFunc(objects, func(o Object) bool { return o.Kind == "" })
		return nil, fmt.Errorf("%w: %s", ErrMissingObject, ids[i])
	}
	return objects, nil
}

// eachObject hands over each of several objects as it comes, in the given order; those that are missing are left out.
func (r *Repo) eachObject(ctx context.Context, ids []ID, take func(i int, object Object)) error {
	if len(ids) == 0 {
		return ctx.Err()
	}
	names := make([]string, len(ids))
	for i, id := range ids {
		names[i] = id.String()
	}
	return r.objects.batch(ctx, "contents", names, func(i int, head string, out *bufio.Reader) error {
		_, kind, size, ok, err := parseHead(head)
		if err != nil || !ok {
			return err
		}
		data, err := readClaimed(out, size)
		if err == nil {
			take(i, Object{Kind: kind, Data: data})
		}
		return err
	})
}

// trusted is up to how many bytes an object's claim of its size is believed before they are there.
const trusted = 64 << 20

// readClaimed reads an object's content and the line end after it. Of a size beyond all reason memory is taken only for what comes.
func readClaimed(out *bufio.Reader, size int64) ([]byte, error) {
	if size < 0 || size == math.MaxInt64 {
		return nil, fmt.Errorf("it claims to have %d bytes: %w", size, ErrBadObject)
	}
	if size <= trusted {
		data := make([]byte, size+1)
		_, err := io.ReadFull(out, data)
		return data[:size:size], err
	}
	var data bytes.Buffer
	if n, err := io.CopyN(&data, out, size+1); err != nil {
		return nil, fmt.Errorf("it claims to have %d bytes, and ends after %d: %w", size, n, errors.Join(err, ErrBadObject))
	}
	return data.Bytes()[:size:size], nil
}

// Sizes tells the lengths of objects without reading them.
func (r *Repo) Sizes(ctx context.Context, ids []ID) ([]int64, error) {
	names := make([]string, len(ids))
	for i, id := range ids {
		names[i] = id.String()
	}
	sizes := make([]int64, len(ids))
	var missing error
	err := r.objects.batch(ctx, "info", names, func(i int, head string, _ *bufio.Reader) error {
		_, _, size, ok, err := parseHead(head)
		if err == nil && !ok {
			missing = fmt.Errorf("%w: %s", ErrMissingObject, names[i])
		}
		sizes[i] = size
		return err
	})
	if err != nil {
		return nil, err
	}
	return sizes, missing
}
