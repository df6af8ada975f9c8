package kit

import (
	"fmt"
	"math"
	"strconv"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/dustin/go-humanize"

	"reelhouse/core/frame"
)

// framesOf returns a set in words for a person, shortened.
func framesOf(set frame.Set) string {
	const most = 40
	text := set.String()
	if len(text) > most {
		text = text[:most] + " …"
	}
	return text
}

// Count writes a whole number, with thin spaces from 10 000 up.
func Count(n int) string {
	if n > -10000 && n < 10000 {
		return strconv.Itoa(n)
	}
	return strings.ReplaceAll(humanize.Comma(int64(n)), ",", "\u2009")
}

// Duration writes "4.2 s", "3 min 20 s", "2 h 14 min", "3 days 4 h", "12 days" or "14 months".
func Duration(d time.Duration) string {
	const day, month = 24 * time.Hour, 365 * 24 * time.Hour / 12
	switch {
	case d < 10*time.Second:
		return strconv.FormatFloat(d.Seconds(), 'f', 1, 64) + " s"
	case d < time.Minute:
		return fmt.Sprintf("%d s", int(d.Seconds()+0.5))
	case d < 10*time.Minute:
		return fmt.Sprintf("%d min %02d s", int(d.Minutes()), int(d.Seconds())%60)
	case d < time.Hour:
		return fmt.Sprintf("%d min", int(d.Minutes()+0.5))
	case d < 2*day:
		return fmt.Sprintf("%d h %02d min", int(d.Hours()), int(d.Minutes())%60)
	case d < 7*day:
		return fmt.Sprintf("%d days %d h", int(d/day), int(d%day/time.Hour))
	case d < 2*month:
		return fmt.Sprintf("%d days", int(d/day))
	case d < 36*month:
		return fmt.Sprintf("%d months", int(d/month))
	}
	return fmt.Sprintf("%d years", int(d/(12*month)))
}

// Plural writes a count with the word for one, or for many.
func Plural(n int, one, many string) string {
	if n == 1 {
		return Count(n) + " " + one
	}
	return Count(n) + " " + many
}

// Number writes a number with as few digits as it has.
func Number(f float64) string { return strconv.FormatFloat(f, 'f', -1, 64) }

// Some writes a number, and nothing for 0.
func Some(f float64) string {
	if f == 0 {
		return ""
	}
	return Number(f)
}

// Percent writes a share in percent with a decimal at most, and nothing for 0.
func Percent(share float64) string { return Some(math.Round(share*1000) / 10) }

// Capital returns a text that begins with a capital letter.
func Capital(text string) string {
	r, size := utf8.DecodeRuneInString(text)
	return string(unicode.ToUpper(r)) + text[size:]
}

// mostNamed is how many names are listed one by one.
const mostNamed = 12

// Few lists names with commas, and counts those that are too many to be listed.
func Few(names []string) string {
	if len(names) <= mostNamed {
		return strings.Join(names, ", ")
	}
	return strings.Join(names[:mostNamed], ", ") + " and " + Count(len(names)-mostNamed) + " more"
}
