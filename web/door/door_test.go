package door

import (
	"net/http/httptest"
	"testing"
)

// TestLocalPath: a redirect stays on this server, whatever a form says.
func TestLocalPath(t *testing.T) {
	for path, want := range map[string]string{
		"/tunes/x?m=3": "/tunes/x?m=3", "/": "/", "": "/", "tunes": "/", "//elsewhere.example/x": "/", "https://elsewhere.example/": "/",
		"javascript:alert(1)": "/", `/\elsewhere.example`: "/", "/%zz": "/", "///x": "/", "/a//b": "/a//b", "http:/x": "/",
	} {
		if got := LocalPath(path); got != want {
			t.Errorf("%q leads to %q, want %q", path, got, want)
		}
	}
}

// TestAtHome: a request from this machine that nothing has passed on is from home; what a proxy passes on need not be.
func TestAtHome(t *testing.T) {
	for _, tt := range []struct {
		from, header string
		want         bool
	}{
		{"127.0.0.1:4711", "", true}, {"[::1]:4711", "", true}, {"127.8.9.1:1", "", true}, {"192.168.1.5:4711", "", false}, {"nonsense", "", false},
		{"127.0.0.1:4711", "X-Forwarded-For", false}, {"127.0.0.1:4711", "Forwarded", false}, {"127.0.0.1:4711", "Via", false},
		{"127.0.0.1:4711", "X-Real-Ip", false}, {"127.0.0.1:4711", "X-Forwarded-Host", false}, {"127.0.0.1:4711", "X-Forwarded-Proto", false},
	} {
		r := httptest.NewRequest("GET", "/metrics", nil)
		r.RemoteAddr = tt.from
		if tt.header != "" {
			r.Header.Set(tt.header, "192.168.1.5")
		}
		if got := AtHome(r); got != tt.want {
			t.Errorf("from %s with %q: %v", tt.from, tt.header, got)
		}
	}
}

// TestAgentWords: what is said of the browser that somebody is signed in with.
func TestAgentWords(t *testing.T) {
	for agent, want := range map[string]string{
		"Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0":                                                "Firefox on Linux",
		"Mozilla/5.0 (Linux; Android 15) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/140.0 Mobile Safari/537.36":              "Chrome or Chromium on Android",
		"Mozilla/5.0 (iPad; CPU OS 18_0 like Mac OS X) AppleWebKit/605.1.15 (KHTML, like Gecko) Version/18.0 Safari/604.1":      "Safari on a tablet",
		"Mozilla/5.0 (Windows NT 10.0; Win64; x64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/140.0 Safari/537.36 Edg/140.0": "Edge on Windows",
		"curl/8": "a browser",
	} {
		if got := agentWords(agent); got != want {
			t.Errorf("%s: %q, want %q", agent, got, want)
		}
	}
}
