// Package ask brings the questions of the repository's commands to the user: for a name, a
// password, a passphrase, or whether a host is the right one.
//
// The commands start a program for that, which the environment names (GIT_ASKPASS,
// SSH_ASKPASS). Bastel is that program: started under the name of its link, it hands the
// question over a socket to the Bastel that started the command, and prints the answer. How
// the user is asked is left to that one.
//
// Its tests promise: questions reach the one who waits and nobody else, and answers come back whole.
package ask

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"os"
	"path/filepath"
	"strings"
)

// Question is what a command wants to know.
type Question struct {
	Text    string
	Secret  bool // the answer must not be shown
	Confirm bool // the answer is yes or no
	Notice  bool // no answer is wanted: it says what to do elsewhere, such as touching a key
}

// ErrNoAnswer is a question that nobody answered.
var ErrNoAnswer = errors.New("the question got no answer")

// Asker asks the user. Errors: ErrNoAnswer.
type Asker func(ctx context.Context, q Question) (string, error)

const (
	linkName = "bastel-ask"
	place    = "BASTEL_ASK"         // the environment variable that names the socket
	hintName = "SSH_ASKPASS_PROMPT" // where ssh says what sort of question it is
)

// Prompt is a question as a command puts it: in words, with a hint at times, which is
// "confirm" or "none" (ssh-add(1)).
type Prompt struct {
	Words string `json:"words"`
	Hint  string `json:"hint,omitempty"`
}

// Read makes a question of a prompt, which has little other form than its words.
func Read(p Prompt) Question {
	lower := strings.ToLower(p.Words)
	q := Question{Text: strings.TrimSpace(p.Words)}
	q.Notice = p.Hint == "none"
	q.Confirm = p.Hint == "confirm" || strings.Contains(lower, "(yes/no")
	q.Secret = !q.Confirm && !q.Notice && !strings.HasPrefix(lower, "username")
	return q
}

// Server waits for the questions of one command.
type Server struct {
	dir      string
	listener net.Listener
	cancel   context.CancelFunc
}

// Listen starts to wait for questions, until Close.
func Listen(ctx context.Context, asker Asker) (*Server, error) {
	program, err := os.Executable()
	if err != nil {
		return nil, fmt.Errorf("wait for questions: %w", err)
	}
	dir, err := os.MkdirTemp("", "bastel-ask-") // only the user can look into it
	if err != nil {
		return nil, fmt.Errorf("wait for questions: %w", err)
	}
	s := &Server{dir: dir}
	if err := os.Symlink(program, filepath.Join(dir, linkName)); err != nil {
		return nil, errors.Join(fmt.Errorf("wait for questions: %w", err), os.RemoveAll(dir))
	}
	if s.listener, err = net.Listen("unix", filepath.Join(dir, "socket")); err != nil {
		return nil, errors.Join(fmt.Errorf("wait for questions: %w", err), os.RemoveAll(dir))
	}
	ctx, s.cancel = context.WithCancel(ctx)
	go s.serve(ctx, asker)
	return s, nil
}

// Env is what a command's environment needs, to ask here.
func (s *Server) Env() []string {
	link := filepath.Join(s.dir, linkName)
	return []string{
		place + "=" + filepath.Join(s.dir, "socket"),
		"GIT_ASKPASS=" + link, "SSH_ASKPASS=" + link, "SSH_ASKPASS_REQUIRE=force",
	}
}

// Close ends the waiting; a question that is open gets no answer.
func (s *Server) Close() error {
	s.cancel()
	return errors.Join(s.listener.Close(), os.RemoveAll(s.dir))
}

func (s *Server) serve(ctx context.Context, asker Asker) {
	for {
		conn, err := s.listener.Accept()
		if err != nil {
			return // closed
		}
		go answer(ctx, conn, asker)
	}
}

// reply is what goes back over the socket.
type reply struct {
	Answer string `json:"answer"`
	OK     bool   `json:"ok"`
}

func answer(ctx context.Context, conn net.Conn, asker Asker) {
	defer conn.Close()
	var prompt Prompt
	if json.NewDecoder(conn).Decode(&prompt) != nil {
		return
	}
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	go func() { // whoever asks may be stopped
		var rest [1]byte
		_, _ = conn.Read(rest[:])
		cancel()
	}()
	text, err := asker(ctx, Read(prompt))
	_ = json.NewEncoder(conn).Encode(reply{text, err == nil}) // if it is gone, it needs no answer
}

// Main is for the beginning of a program: where it was started to ask, it does that and
// ends. Else it returns.
func Main() {
	socket := os.Getenv(place)
	if socket == "" || filepath.Base(os.Args[0]) != linkName {
		return
	}
	prompt := Prompt{strings.Join(os.Args[1:], " "), os.Getenv(hintName)}
	text, err := put(socket, prompt)
	if err != nil {
		fmt.Fprintln(os.Stderr, "bastel:", err)
		os.Exit(1)
	}
	fmt.Println(text)
	if prompt.Hint == "confirm" && text != "yes" {
		os.Exit(1) // there the status is the answer
	}
	os.Exit(0)
}

// put asks over the socket.
func put(socket string, prompt Prompt) (string, error) {
	conn, err := net.Dial("unix", socket)
	if err != nil {
		return "", fmt.Errorf("ask %q: %w", prompt.Words, err)
	}
	defer conn.Close()
	if err := json.NewEncoder(conn).Encode(prompt); err != nil {
		return "", fmt.Errorf("ask %q: %w", prompt.Words, err)
	}
	var r reply
	if err := json.NewDecoder(conn).Decode(&r); err != nil || !r.OK {
		return "", ErrNoAnswer
	}
	return r.Answer, nil
}
