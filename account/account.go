// Package account holds the rules of names, passwords, one-time secrets and slowed-down guessing. What it decides is kept
// by package store and asked for by package web. Source of the requirements: docs/security.md.
package account

import (
	"bytes"
	"crypto/rand"
	"crypto/sha256"
	_ "embed"
	"errors"
	"fmt"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/alexedwards/argon2id"
	"golang.org/x/text/unicode/norm"
)

// Limits in characters.
const (
	LeastPassword = 10
	MostPassword  = 256
	MostName      = 60
)

// CheckName returns the name in one of the ways to write it: compatibility characters composed (Unicode's NFKC), without what is not
// seen and without spaces around it. The error is for people.
func CheckName(name string) (string, error) {
	if utf8.ValidString(name) {
		name = strings.TrimSpace(strings.Map(seen, norm.NFKC.String(name)))
	}
	switch {
	case name == "":
		return "", errors.New("enter a name to sign in with")
	case utf8.RuneCountInString(name) > MostName:
		return "", fmt.Errorf("a name has at most %d characters", MostName)
	case !utf8.ValidString(name) || strings.IndexFunc(name, unicode.IsControl) >= 0:
		return "", errors.New("a name may have letters, digits, punctuation and spaces")
	}
	return name, nil
}

// seen drops characters that a reader cannot see: format characters, variation selectors and the like.
func seen(r rune) rune {
	if unicode.In(r, unicode.Cf, unicode.Variation_Selector, unicode.Other_Default_Ignorable_Code_Point) {
		return -1
	}
	return r
}

// common is the first eight bytes of the SHA-256 of common passwords in lower case, sorted; see scripts/common-passwords.sh.
//
//go:embed common.bin
var common []byte

const hashBytes = 8

func isCommon(password string) bool {
	sum := sha256.Sum256([]byte(password))
	key := sum[:hashBytes]
	lo, hi := 0, len(common)/hashBytes
	for lo < hi {
		mid := (lo + hi) / 2
		if bytes.Compare(common[mid*hashBytes:(mid+1)*hashBytes], key) < 0 {
			lo = mid + 1
		} else {
			hi = mid
		}
	}
	return lo < len(common)/hashBytes && bytes.Equal(common[lo*hashBytes:(lo+1)*hashBytes], key)
}

// CheckPassword says in words for people why a password is refused: too short or long, a common one, digits and signs
// after it or not, or the name. Any characters are allowed, and none are asked for.
func CheckPassword(password, name string) error {
	lower := strings.ToLower(password)
	bare := strings.TrimRightFunc(lower, func(r rune) bool { return !unicode.IsLetter(r) })
	switch n := utf8.RuneCountInString(password); {
	case n < LeastPassword:
		return fmt.Errorf("use at least %d characters; this password has %d. Three or four words make a good one", LeastPassword, n)
	case n > MostPassword:
		return fmt.Errorf("use at most %d characters; this password has %d", MostPassword, n)
	case isCommon(lower) || isCommon(bare):
		return errors.New("this password is too common: choose another")
	case strings.Contains(lower, strings.ToLower(strings.TrimSpace(name))) && utf8.RuneCountInString(name)*2 >= n:
		return errors.New("this password is too similar to the name: choose another")
	}
	return nil
}

// cost of a hash: 19 MiB and two passes, after the usual recommendation for argon2id.
var cost = &argon2id.Params{Memory: 19 * 1024, Iterations: 2, Parallelism: 1, SaltLength: 16, KeyLength: 32}

// turns bounds the hashes worked out at a time, and so their memory.
var turns = make(chan struct{}, 4)

func inTurn[T any](f func() (T, error)) (T, error) {
	turns <- struct{}{}
	defer func() { <-turns }()
	return f()
}

// Hash is what is kept of a password: salt and costs are in it.
func Hash(password string) (string, error) {
	return inTurn(func() (string, error) { return argon2id.CreateHash(password, cost) })
}

// nobodys is the hash that a password is compared with when there is no such name, so that it takes as long.
const nobodys = "$argon2id$v=19$m=19456,t=2,p=1$c3RlcHBpbmctbm9ib2R5cw$y0vRiE9+3K5dPzr0mLkQmE0Y1t2sO9cQ4m2c3u5b7hA"

// Verify compares a password with its hash; an empty hash takes as long and is never right. weak says that the hash was made at
// lower costs than today's and is to be made again.
func Verify(hash, password string) (right, weak bool) {
	against := hash
	if hash == "" {
		against = nobodys
	}
	type answer struct{ right, weak bool }
	a, err := inTurn(func() (answer, error) {
		match, made, err := argon2id.CheckHash(password, against)
		return answer{match, err == nil && (made.Memory < cost.Memory || made.Iterations < cost.Iterations)}, err
	})
	return err == nil && a.right && hash != "", a.weak
}

// Secret makes a one-time secret of 130 random bits, for a link or a cookie.
func Secret() string { return rand.Text() }

// SecretHash is what is kept of it.
func SecretHash(secret string) []byte {
	sum := sha256.Sum256([]byte(secret))
	return sum[:]
}

// LinkLasts is how long a one-time link can be used.
const LinkLasts = 24 * time.Hour

// Failures that cost nothing, and the longest wait.
const (
	freeFailures = 4
	longestWait  = time.Minute
)

// Wait is how long the next try is put off after so many failures in a row: one second after the fifth, doubled with each,
// a minute at most. Nobody is locked out: the owner's own browser is counted apart, see Guessers.
func Wait(failures int) time.Duration {
	if failures <= freeFailures {
		return 0
	}
	return min(longestWait, time.Second<<min(failures-freeFailures-1, 10))
}

// FailuresLast is how long failures count.
const FailuresLast = time.Hour

// Guessers are the keys under which a failed sign-in is counted: in a browser that has signed in to the account before
// only that browser's, so that strangers cannot slow its owner down; else the address's and the name's.
// The name is what the database compares it by, so that all spellings of it count as one.
func Guessers(address string, name []byte, browser string, knows bool) [][]byte {
	if knows {
		return [][]byte{SecretHash("browser " + browser)}
	}
	return [][]byte{SecretHash("address " + address), SecretHash("name " + string(name))}
}
