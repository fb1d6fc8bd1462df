// Package documents reads the text of documents that somebody has brought. A .pdf is read
// in a process of its own: such a file can be made to have its reader take any amount of
// time and memory, and then only that process ends.
package documents

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"strings"
	"syscall"
	"time"

	"goldshelf/core/document"
	"goldshelf/core/message"
)

// Argument is how a program is told to be that process: it then calls [Main].
const Argument = "read-document"

// What a document may take.
const (
	mostTime    = 30 * time.Second
	mostSeconds = 20      // of the processor
	mostMemory  = 1 << 30 // bytes
	atOnce      = 2       // processes that read one; others wait for these
)

// Reader reads documents. Its zero value reads them all in this process.
type Reader struct {
	Program string // reads a .pdf when it is started with [Argument]

	room chan struct{} // has a place for each that is being read; nil for as many as come
}

// Text gives a document's text. Its error is a [document.Unreadable] where that is the
// document's fault.
func (r Reader) Text(ctx context.Context, data []byte) (string, error) {
	if r.Program == "" || document.FormatOf(data) != document.PDF || len(data) > document.MostBytes {
		return document.Read(data)
	}
	if r.room != nil {
		select {
		case r.room <- struct{}{}:
			defer func() { <-r.room }()
		case <-ctx.Done():
			return "", ctx.Err()
		}
	}
	ctx, cancel := context.WithTimeout(ctx, mostTime)
	defer cancel()
	cmd := exec.CommandContext(ctx, r.Program, Argument)
	cmd.Stdin = bytes.NewReader(data)
	cmd.Env = []string{fmt.Sprintf("GOMEMLIMIT=%d", mostMemory/2)}
	cmd.WaitDelay = time.Second
	var out, said capped
	out.left, said.left = document.MostText+1, 4<<10
	cmd.Stdout, cmd.Stderr = &out, &said
	err := cmd.Run()
	var exit *exec.ExitError
	switch {
	case err == nil:
		return out.String(), nil
	case errors.As(err, &exit) && exit.ExitCode() == unreadable:
		return "", document.Unreadable{Why: message.Plain(strings.TrimSpace(said.String()))}
	case errors.As(err, &exit), ctx.Err() != nil:
		return "", document.Unreadable{Why: message.Say("reading it takes more time or memory than a document may; save it anew, or paste its text")}
	}
	return "", fmt.Errorf("start reading a document: %w", err)
}

// unreadable is the exit status that says what is wrong with the document.
const unreadable = 3

// Main reads a document from in, writes its text to out or what is wrong with it to errs,
// and gives the exit status.
func Main(in io.Reader, out, errs io.Writer) int {
	for limit, most := range map[int]uint64{syscall.RLIMIT_DATA: mostMemory, syscall.RLIMIT_CPU: mostSeconds, syscall.RLIMIT_CORE: 0} {
		if err := syscall.Setrlimit(limit, &syscall.Rlimit{Cur: most, Max: most}); err != nil {
			fmt.Fprintln(errs, "limit what reading a document takes:", err)
			return 1
		}
	}
	data, err := io.ReadAll(io.LimitReader(in, document.MostBytes+1))
	if err != nil {
		fmt.Fprintln(errs, err)
		return 1
	}
	text, err := document.Read(data)
	if err != nil {
		fmt.Fprintln(errs, err)
		return unreadable
	}
	if _, err := io.WriteString(out, text); err != nil {
		return 1
	}
	return 0
}

// IsAsked says whether this process is the one that reads a document.
func IsAsked(args []string) bool { return len(args) == 2 && args[1] == Argument }

// Self gives a reader that starts this same program.
func Self() Reader {
	program, err := os.Executable()
	if err != nil {
		return Reader{}
	}
	return Reader{program, make(chan struct{}, atOnce)}
}

// capped keeps the first so many bytes of what is written.
type capped struct {
	bytes.Buffer
	left int
}

func (c *capped) Write(p []byte) (int, error) {
	n := min(len(p), c.left)
	c.left -= n
	c.Buffer.Write(p[:n])
	return len(p), nil
}
