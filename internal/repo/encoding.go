package repo

import (
	"fmt"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/htmlindex"
)

// codec finds the encoding that a commit declares; nil stands for UTF-8, and for
// names that nobody knows, whose bytes are then shown as they are.
func (c *Commit) codec() encoding.Encoding {
	switch strings.ToLower(c.Encoding) {
	case "", "utf-8", "utf8":
		return nil
	}
	codec, err := htmlindex.Get(c.Encoding)
	if err != nil {
		return nil
	}
	return codec
}

// Text gives one of the commit's texts in UTF-8, for showing.
func (c *Commit) Text(text string) string {
	codec := c.codec()
	if codec == nil {
		return text
	}
	decoded, err := codec.NewDecoder().String(text)
	if err != nil {
		return text
	}
	return decoded
}

// SetMessage gives the commit a new message, written in UTF-8. The commit keeps
// its encoding if the message can be said in it, else all of it becomes UTF-8.
func (c *Commit) SetMessage(message string) error {
	if !utf8.ValidString(message) {
		return fmt.Errorf("the new message is not UTF-8: %w", ErrBadObject)
	}
	codec := c.codec()
	if codec == nil {
		if c.Encoding != "" && !isASCII(message) {
			c.Encoding = ""
		}
		c.Message = message
		return nil
	}
	if encoded, err := codec.NewEncoder().String(message); err == nil {
		c.Message = encoded
		return nil
	}
	c.Author = c.Text(c.Author)
	c.Encoding = ""
	c.Message = message
	return nil
}

func isASCII(text string) bool {
	return strings.IndexFunc(text, func(r rune) bool { return r >= utf8.RuneSelf }) < 0
}
