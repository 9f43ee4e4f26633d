package cli

import (
	"context"
	"fmt"
	"io"
	"os"
)

// fileLimit is far above any plan or text that people or scripts write, in bytes.
const fileLimit = 64 << 20

// readFile reads a file that an argument names, or standard input for "-". What never comes, as from a pipe that nobody writes to, is
// waited for only until the program is asked to end.
func (c *command) readFile(ctx context.Context, name string) ([]byte, error) {
	type result struct {
		data []byte
		err  error
	}
	read := make(chan result, 1)
	go func() {
		data, err := c.readWhole(name)
		read <- result{data, err}
	}()
	select {
	case r := <-read:
		if r.err != nil {
			return nil, fmt.Errorf("%w: %s cannot be read: %w", errUsage, name, r.err)
		}
		return r.data, nil
	case <-ctx.Done():
		return nil, fmt.Errorf("read %s: %w", name, context.Cause(ctx))
	}
}

func (c *command) readWhole(name string) ([]byte, error) {
	if name == "-" {
		return io.ReadAll(io.LimitReader(c.stdin, fileLimit))
	}
	file, err := os.Open(name)
	if err != nil {
		return nil, err
	}
	defer file.Close()
	return io.ReadAll(io.LimitReader(file, fileLimit))
}
