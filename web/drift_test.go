package web_test

import (
	"cmp"
	"slices"
	"strconv"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
)

// TestDrift: the beat that is shown keeps to the click that is heard: over 8 s, and in the long tests over three
// minutes, every frame shows the beat of its time or of the frame before's. So a busy machine, which draws few frames,
// is no reason to be late.
func TestDrift(t *testing.T) {
	if testing.Short() {
		t.Skip("the long form watches three minutes")
	}
	t.Parallel()
	s := newSite(t)
	b := newTab(t, s, 1280, 800)
	b.open(s.tunePath(t, 1) + "/ladder")
	b.open(eval[string](b, "document.querySelector('a[href*=\"+click\"], a[href*=\"%20click\"]').getAttribute('href')"))
	b.until("document.querySelector('#sitting')._x_dataStack")
	const repeats, span = 4, 3 * time.Minute
	b.key(".") // a browser plays nothing before a key was pressed
	eval[bool](b, `(() => {
		const page = document.querySelector('#sitting')._x_dataStack[0];
		const { data } = page;
		const length = data.seconds;
		const once = data.beats.slice();
		const inBar = data.inBar.slice();
		for (let k = 1; k < `+strconv.Itoa(repeats)+`; k += 1) { // the same bars again, as a loop sounds them
			once.forEach((at, i) => { data.beats.push(at + k * length); data.inBar.push(inBar[i]); });
		}
		data.bars += '&repeats=`+strconv.Itoa(repeats)+`';
		page.tempo = data.tempo;
		window.frames = []; // seconds heard, and by how many the beat shown is not that of this time nor of the frame before's
		const lead = (data.beats[1] - data.beats[0]) * data.count;
		let before = 0;
		const look = () => {
			const all = [...document.querySelectorAll('.step-beats i')];
			const shown = all.findIndex((el) => el.classList.contains('is-now')) + 1;
			const { audio } = page;
			if (audio && shown > 0 && before > lead) {
				const now = audio.currentTime;
				const off = data.beats.map((at, i) => (data.inBar[i] !== shown ? Infinity
					: Math.max(0, at + lead - now, before - (data.beats[i + 1] ?? Infinity) - lead)));
				window.frames.push([now, Math.min(...off)]);
			}
			before = audio ? audio.currentTime : 0;
			window.over = before > `+strconv.FormatFloat(span.Seconds(), 'f', 0, 64)+` || (window.frames.length > 0 && !audio);
			if (!window.over) requestAnimationFrame(look);
		};
		look();
		page.sound('playing', 'click');
		return true;
	})()`)
	b.do(chromedp.Sleep(span))
	b.until("window.over")
	frames := eval[[][]float64](b, "window.frames")
	if len(frames) == 0 {
		t.Fatal("no beat was shown")
	}
	worst := slices.MaxFunc(frames, func(x, y []float64) int {
		return cmp.Compare(x[1], y[1])
	})
	t.Logf("figure: over %.0f s and %d frames the beat shown is at most %.0f ms off", frames[len(frames)-1][0], len(frames), 1000*worst[1])
	if worst[1] > 0.03 {
		t.Errorf("after %.1f s the beat shown is %.0f ms off", worst[0], 1000*worst[1])
	}
}
