package ui

import (
	"bytes"
	"os"
	"time"

	"golang.org/x/sys/unix"
)

// keyboard is where keys come from, with what would stop them taken out. A terminal's sequences begin with an escape; one of those
// whose end is a character of its own (ECMA-48, control strings) would have all keys be read as part of it if that never comes. A
// text that is pasted may hold anything: there an escape is a character like others, and shown as one.
type keyboard struct {
	*os.File
	pasting bool
	last    time.Time // when something of what is pasted came
	held    []byte    // the beginning of a sequence, until the rest of it is there
	out     []byte    // what is left to be given
}

const (
	pasteBegins = "\x1b[200~"
	pasteEnds   = "\x1b[201~"
	escapeShown = "␛"
	interrupt   = 0x03 // which comes alone only from a hand

	longestString = 4096                   // of a control string, in bytes; answers of terminals are far shorter
	stringWait    = 100 * time.Millisecond // so long the rest of one is waited for: a terminal sends it at once
	pasteWait     = time.Second            // and so long more of what is pasted
)

// Read gives what was typed. It is called where something is there to be read.
func (k *keyboard) Read(p []byte) (int, error) {
	if len(k.out) == 0 {
		in := make([]byte, max(1, len(p)/len(escapeShown)))
		n, err := k.File.Read(in)
		if err != nil {
			return 0, err
		}
		k.take(in[:n])
		for len(k.held) > 0 && k.more(stringWait) {
			if n, err = k.File.Read(in); err != nil {
				break
			}
			k.take(in[:n])
		}
		k.cutOff()
	}
	n := copy(p, k.out)
	k.out = k.out[n:]
	return n, nil
}

// more says whether more comes within a time.
func (k *keyboard) more(wait time.Duration) bool {
	fds := []unix.PollFd{{Fd: int32(k.Fd()), Events: unix.POLLIN}}
	n, err := unix.Poll(fds, int(wait.Milliseconds()))
	return err == nil && n > 0
}

// take takes bytes as they come, and puts out what they mean.
func (k *keyboard) take(in []byte) {
	byHand := len(in) == 1 && in[0] == interrupt
	if k.pasting && (byHand || time.Since(k.last) > pasteWait) {
		k.out, k.pasting = append(k.out, pasteEnds...), false // its end got lost
	}
	k.last = time.Now()
	k.held = append(k.held, in...)
	for len(k.held) > 0 {
		n, out, whole := k.next()
		if !whole {
			return
		}
		k.out, k.held = append(k.out, out...), k.held[n:]
	}
}

// next gives how many of the held bytes belong together, and what stands for them; not whole: more has to come.
func (k *keyboard) next() (n int, out []byte, whole bool) {
	at := bytes.IndexByte(k.held, 0x1b)
	switch {
	case at < 0:
		return len(k.held), k.held, true
	case at > 0:
		return at, k.held[:at], true
	case k.pasting:
		return k.nextPasted()
	case bytes.HasPrefix(k.held, []byte(pasteBegins)):
		k.pasting = true
		return len(pasteBegins), []byte(pasteBegins), true
	case len(k.held) < 2 || bytes.IndexByte([]byte("]P_^X"), k.held[1]) < 0:
		return 1, k.held[:1], true // the rest is as it is for who reads it
	}
	return k.nextString()
}

func (k *keyboard) nextPasted() (n int, out []byte, whole bool) {
	switch {
	case bytes.HasPrefix(k.held, []byte(pasteEnds)):
		k.pasting = false
		return len(pasteEnds), []byte(pasteEnds), true
	case bytes.HasPrefix([]byte(pasteEnds), k.held):
		return 0, nil, false
	}
	return 1, []byte(escapeShown), true
}

// nextString gives a control string, up to its end: an escape and a backslash, or a bell.
func (k *keyboard) nextString() (n int, out []byte, whole bool) {
	for i := 2; i < len(k.held); i++ {
		switch {
		case k.held[i] == '\a':
			return i + 1, k.held[:i+1], true
		case k.held[i] == 0x1b && i+1 == len(k.held):
			return 0, nil, false
		case k.held[i] == 0x1b && k.held[i+1] == '\\':
			return i + 2, k.held[:i+2], true
		case k.held[i] == 0x1b, i > longestString: // another sequence begins: this one was cut off
			return i, nil, true
		}
	}
	return 0, nil, false
}

// cutOff gives up waiting for the rest of a sequence. Of a control string what has come is dropped: none of it was typed.
func (k *keyboard) cutOff() {
	if len(k.held) > 0 && k.pasting {
		k.out = append(append(k.out, escapeShown...), k.held[1:]...)
	}
	k.held = nil
}
