package people

import (
	"context"
	_ "embed"
	"runtime"
	"slices"
	"strings"
	"sync"
	"time"
	"unicode"
	"unicode/utf8"

	"golang.org/x/crypto/bcrypt"
	"golang.org/x/sync/semaphore"
)

// The lengths of a password: in characters, and in bytes, of which bcrypt takes no more.
const (
	shortest = 10
	longest  = 72
)

// common lists the roots of passwords that are tried first by whoever guesses.
//
//go:embed common.txt
var common string

var commonRoots = sync.OnceValue(func() map[string]bool {
	roots := map[string]bool{}
	for w := range strings.FieldsSeq(common) {
		roots[w] = true
	}
	return roots
})

// spoken reads the signs that stand for letters.
var spoken = strings.NewReplacer("@", "a", "4", "a", "3", "e", "1", "i", "!", "i", "0", "o", "$", "s", "5", "s", "7", "t")

// letters keeps the letters of a text, small.
func letters(text string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) {
			return unicode.ToLower(r)
		}
		return -1
	}, text)
}

// strong returns nil for a password that may be chosen, and else a Weak. The words are
// what anybody knows of its owner: names, mail addresses.
func strong(password string, words ...string) error {
	switch {
	case utf8.RuneCountInString(password) < shortest:
		return Weak{"This password is too short: at least 10 characters."}
	case len(password) > longest:
		return Weak{"This password is too long: at most 72 bytes."}
	case repeats(password):
		return Weak{"This password repeats itself. Take one that is harder to guess."}
	case runs(password):
		return Weak{"This password is a row of keys or digits. Take one that is harder to guess."}
	}
	small := strings.ToLower(password)
	core := strings.TrimFunc(small, func(r rune) bool { return !unicode.IsLetter(r) })
	roots := commonRoots()
	for _, text := range []string{letters(small), letters(spoken.Replace(small)), letters(spoken.Replace(core))} {
		if utf8.RuneCountInString(text) >= 4 && utf8.RuneCountInString(without(text, words)) < 4 {
			return Weak{"This password is little more than names that anybody knows. Take one that is harder to guess."}
		}
		if roots[text] || roots[strings.TrimRight(text, "s")] || madeOf(text, roots) {
			return Weak{"This is one of the passwords that are tried first. Take one that is harder to guess."}
		}
	}
	return nil
}

// without returns the letters of a text that are left when all words, and parts of
// words, are taken out.
func without(text string, words []string) string {
	for _, w := range words {
		for _, part := range append([]string{w}, strings.FieldsFunc(w, func(r rune) bool { return !unicode.IsLetter(r) })...) {
			if part = letters(part); utf8.RuneCountInString(part) >= 3 {
				text = strings.ReplaceAll(text, part, "")
			}
		}
	}
	return text
}

// madeOf reports whether a text is one root two or more times.
func madeOf(text string, roots map[string]bool) bool {
	for n := 3; n <= len(text)/2; n++ {
		if len(text)%n == 0 && roots[text[:n]] && strings.Repeat(text[:n], len(text)/n) == text {
			return true
		}
	}
	return false
}

// repeats reports whether a password is made of up to three characters, or of a piece of
// it again and again.
func repeats(password string) bool {
	runes := []rune(password)
	different := map[rune]bool{}
	for _, r := range runes {
		different[r] = true
	}
	if len(different) <= 3 {
		return true
	}
	for n := 1; n <= 4; n++ {
		same := true
		for i := n; i < len(runes) && same; i++ {
			same = runes[i] == runes[i-n]
		}
		if same {
			return true
		}
	}
	return false
}

// rows are what hands run along.
var rows = []string{"01234567890123456789", "abcdefghijklmnopqrstuvwxyz", "qwertyuiopasdfghjklzxcvbnm", "qwertzuiopasdfghjklyxcvbnm", "azertyuiopqsdfghjklmwxcvbn", "1qaz2wsx3edc4rfv5tgb6yhn7ujm8ik9ol0p", "q1w2e3r4t5y6u7i8o9p0"}

// runs reports whether most of a password runs along a row, to the right or to the left.
func runs(password string) bool {
	small := strings.ToLower(password)
	for _, row := range rows {
		back := []byte(row)
		slices.Reverse(back)
		for _, line := range []string{row, string(back)} {
			for n := min(len(small), len(line)); n >= 6; n-- {
				for i := 0; i+n <= len(small); i++ {
					if strings.Contains(line, small[i:i+n]) && len(small)-n < 4 {
						return true
					}
				}
			}
		}
	}
	return false
}

// hashed hashes a password. The cost is the work of it, as a power of two; bcrypt's own when 0.
func hashed(password string, cost int) (string, error) {
	h, err := bcrypt.GenerateFromPassword([]byte(password), cost)
	return string(h), err
}

// nobodys is compared with where there is no password, so that the time of an answer
// does not tell who has one.
var nobodys = sync.OnceValue(func() string {
	h, _ := hashed("nobody's password", 0)
	return h
})

// matches reports whether a password is the one that was hashed. Where none was, it
// takes as long, and never is.
func matches(hash, password string) bool {
	if hash == "" {
		_ = bcrypt.CompareHashAndPassword([]byte(nobodys()), []byte(password))
		return false
	}
	return bcrypt.CompareHashAndPassword([]byte(hash), []byte(password)) == nil
}

// slots is room for hashing passwords, which is meant to be slow: one at a time for a
// network, and never so many that nothing else gets done. Browsers that are known have
// room of their own, which strangers cannot fill.
type slots struct {
	strangers, known *semaphore.Weighted
	mu               sync.Mutex
	networks         map[string]*queue
}

type queue struct {
	turn    *semaphore.Weighted
	waiting int
}

// mostWaiting is how many may wait for one network's turn.
const mostWaiting = 4

func newSlots() *slots {
	room := int64(max(1, runtime.NumCPU()/2))
	return &slots{strangers: semaphore.NewWeighted(room), known: semaphore.NewWeighted(room), networks: map[string]*queue{}}
}

// take waits for the turn of a network. It fails with TooSoon when others wait already.
func (s *slots) take(ctx context.Context, network string, known bool) (release func(), err error) {
	room := s.strangers
	if known {
		room, network = s.known, network+" known"
	}
	s.mu.Lock()
	q := s.networks[network]
	if q == nil {
		q = &queue{turn: semaphore.NewWeighted(1)}
		s.networks[network] = q
	}
	if q.waiting >= mostWaiting {
		s.mu.Unlock()
		return nil, TooSoon{time.Second}
	}
	q.waiting++
	s.mu.Unlock()
	leave := func() {
		s.mu.Lock()
		defer s.mu.Unlock()
		if q.waiting--; q.waiting == 0 {
			delete(s.networks, network)
		}
	}
	if err := q.turn.Acquire(ctx, 1); err != nil {
		leave()
		return nil, err
	}
	if err := room.Acquire(ctx, 1); err != nil {
		q.turn.Release(1)
		leave()
		return nil, err
	}
	return func() {
		room.Release(1)
		q.turn.Release(1)
		leave()
	}, nil
}
