// Package field says at which place of a document a value is wrong, so that
// whoever shows it can put the words beside that place.
package field

import (
	"errors"
	"fmt"
	"strings"
)

// An Error is a wrong value.
type Error struct {
	Path string // of the value, as files[2].widths[0]; "" for the whole
	Msg  string // what is wrong with it, and what would be right
}

func (e *Error) Error() string {
	if e.Path == "" {
		return e.Msg
	}
	return e.Path + ": " + e.Msg
}

// Errorf returns an Error with a message that is put together as by fmt.Sprintf.
func Errorf(path, format string, args ...any) error {
	return &Error{path, fmt.Sprintf(format, args...)}
}

// In returns err as one of a value that lies within the value at path; nil for
// nil.
func In(path string, err error) error {
	if err == nil {
		return nil
	}
	var e *Error
	if !errors.As(err, &e) {
		return &Error{path, err.Error()}
	}
	switch {
	case path == "":
		return e
	case e.Path == "":
		return &Error{path, e.Msg}
	case strings.HasPrefix(e.Path, "["):
		return &Error{path + e.Path, e.Msg}
	}
	return &Error{path + "." + e.Path, e.Msg}
}

// At names the i-th value of a list.
func At(list string, i int) string { return fmt.Sprintf("%s[%d]", list, i) }

// Message is what is wrong, without the place.
func Message(err error) string {
	var e *Error
	if errors.As(err, &e) {
		return e.Msg
	}
	return err.Error()
}
