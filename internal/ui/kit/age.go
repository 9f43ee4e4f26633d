package kit

import (
	"fmt"
	"time"
)

// Age says how long ago something was.
func Age(when, now time.Time) string {
	if when.IsZero() {
		return "at an unknown time"
	}
	days := int(now.Sub(when).Hours() / 24)
	switch {
	case now.Before(when):
		return when.Format("2 Jan 2006")
	case days == 0:
		return "today " + when.Format("15:04")
	case days == 1:
		return "yesterday"
	case days < 14:
		return fmt.Sprintf("%d days ago", days)
	}
	return when.Format("2 Jan 2006")
}
