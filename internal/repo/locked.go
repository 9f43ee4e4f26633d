package repo

import (
	"fmt"
	"os"
	"regexp"
	"time"

	"bastel/internal/wording"
)

// LockedError names a lock file, and how old it is.
type LockedError struct {
	File string
	Age  time.Duration // zero: it is gone by now
}

func newLockedError(file string) *LockedError {
	locked := &LockedError{File: file}
	if info, err := os.Lstat(file); err == nil {
		locked.Age = max(time.Since(info.ModTime()), time.Second)
	}
	return locked
}

func (e *LockedError) Error() string {
	if e.Age == 0 {
		return fmt.Sprintf("the lock %s was held", e.File)
	}
	return fmt.Sprintf("the lock %s is there, %s old", e.File, AgeInWords(e.Age))
}

// Unwrap makes it what it is.
func (e *LockedError) Unwrap() error { return ErrLocked }

// AgeInWords writes an age as people say it.
func AgeInWords(age time.Duration) string {
	switch {
	case age < 2*time.Minute:
		return wording.Count(int(age.Seconds()), "second")
	case age < 2*time.Hour:
		return wording.Count(int(age.Minutes()), "minute")
	case age < 48*time.Hour:
		return wording.Count(int(age.Hours()), "hour")
	}
	return wording.Count(int(age.Hours()/24), "day")
}

// lockThere is what the repository's commands say of a lock that they cannot take.
var lockThere = regexp.MustCompile(`Unable to create '(.*\.lock)': File exists`)
