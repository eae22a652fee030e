package account

import (
	"strings"
	"testing"
	"time"
)

func TestPasswords(t *testing.T) {
	for password, refused := range map[string]string{
		"short":                     "at least 10",
		"123456789":                 "at least 10",
		"1234567890":                "too common",
		"Password2026":              "too common",
		"QWERTYuiop":                "too common",
		"ash fernlow":               "the name",
		"Ash Fernlow!":              "the name",
		strings.Repeat("x", 257):    "at most 256",
		"brass on the ninth fret":   "",
		"ночной поезд":              "",
		strings.Repeat("ab ", 60):   "",
		"          ..":              "",
		"ash fernlow slides at ten": "",
	} {
		err := CheckPassword(password, "Ash Fernlow")
		if refused == "" && err != nil || refused != "" && (err == nil || !strings.Contains(err.Error(), refused)) {
			t.Errorf("%q: %v, want %q", password, err, refused)
		}
	}
	if n := len(common) / hashBytes; n < 3000 || len(common)%hashBytes != 0 {
		t.Errorf("%d common passwords", n)
	}
}

func TestNames(t *testing.T) {
	if name, err := CheckName("  Ash Fernlow "); err != nil || name != "Ash Fernlow" {
		t.Error(name, err)
	}
	for spelt, want := range map[string]string{"A\u200bsh\u00ad": "Ash", "Ａｓｈ": "Ash", "Zoe\u0308": "Zoë", "ﬁn\ufe0f": "fin", "\u00a0Ash\u3000F": "Ash F"} {
		if name, err := CheckName(spelt); err != nil || name != want {
			t.Errorf("%q is kept as %q: %v", spelt, name, err)
		}
	}
	for _, bad := range []string{"", "  ", "\u200b\ufeff", "a\x00b", strings.Repeat("ü", 61), "\xff\xfe"} {
		if _, err := CheckName(bad); err == nil {
			t.Errorf("%q is let in", bad)
		}
	}
}

// TestVerify: only the right password is right, a hash of lower costs is weak, and no account takes as long as a wrong password.
func TestVerify(t *testing.T) {
	hash, err := Hash("brass on the ninth fret")
	if err != nil || !strings.HasPrefix(hash, "$argon2id$v=19$m=19456,t=2,p=1$") {
		t.Fatal(hash, err)
	}
	took := func(hash, password string) (bool, bool, time.Duration) {
		began := time.Now()
		right, weak := Verify(hash, password)
		return right, weak, time.Since(began)
	}
	if right, weak, _ := took(hash, "brass on the ninth fret"); !right || weak {
		t.Error(right, weak)
	}
	right, _, wrong := took(hash, "brass on the tenth fret")
	nobody, _, none := took("", "brass on the ninth fret")
	if right || nobody {
		t.Error("a wrong password is let in")
	}
	if none < wrong/3 || wrong < none/3 {
		t.Errorf("a wrong password takes %v, an unknown name %v", wrong, none)
	}
	if _, weak := Verify("$argon2id$v=19$m=8192,t=1,p=1$c29tZXNhbHRzb21lc2FsdA$AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA", "x"); !weak {
		t.Error("a hash of lower costs is not made anew")
	}
}

// TestWait: no wait at first, then ever longer, never beyond a minute.
func TestWait(t *testing.T) {
	last := time.Duration(0)
	for n := range 200 {
		w := Wait(n)
		if w < last || w > longestWait || n <= freeFailures && w != 0 || n > freeFailures && w < time.Second {
			t.Errorf("%d failures: %v after %v", n, w, last)
		}
		last = w
	}
	if last != longestWait {
		t.Error(last)
	}
}
