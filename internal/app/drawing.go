package app

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"

	"bastel/internal/draw"
)

// Drawing works a picture out.
type Drawing func(ctx context.Context) (draw.Picture, error)

// DrawTo writes a picture into a new file; a relative name starts at the top of the
// working tree. It gives the file's name.
func (a *App) DrawTo(ctx context.Context, what Drawing, name string) (string, error) {
	format, err := draw.FormatOf(name)
	if err != nil {
		return "", &Refusal{Reason: err.Error(), Err: err}
	}
	picture, err := what(ctx)
	if err != nil {
		return "", err
	}
	var out bytes.Buffer
	missing, err := draw.Write(&out, picture, format, draw.Light)
	if err != nil {
		return "", err
	}
	written, err := a.WriteNew(name, out.Bytes())
	if said := MissingIn(missing); said != "" {
		written += ". " + said
	}
	return written, err
}

// MissingIn says which characters no font has; nothing where all are there.
func MissingIn(missing []rune) string {
	if len(missing) == 0 {
		return ""
	}
	return "No font here has " + string(missing[:min(len(missing), 20)]) + ": question marks stand for that"
}

// WriteNew writes a file that must not be there yet; a relative name starts at the top of
// the working tree. It gives the file's name.
func (a *App) WriteNew(name string, data []byte) (string, error) {
	if name == "" {
		return "", Refuse("The file needs a name.")
	}
	if !filepath.IsAbs(name) {
		name = filepath.Join(a.Repo.Top(), name)
	}
	file, err := os.OpenFile(name, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o666)
	if errors.Is(err, fs.ErrExist) {
		return "", Refuse("%s is there already; choose another name.", name)
	}
	if err != nil {
		return "", fmt.Errorf("write %s: %w", name, err)
	}
	_, err = file.Write(data)
	return name, errors.Join(err, file.Close())
}
