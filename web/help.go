package web

import (
	"errors"
	"net/http"
	"strconv"

	"github.com/gin-gonic/gin"

	"stepping/store"
	"stepping/web/door"
)

// help says what a page is for, and three things to do there.
type help struct {
	For string
	Do  [3]string
}

// helpOf is the help of each page, by its template.
var helpOf = map[string]help{
	"home": {"All your tunes, and what to play next.", [3]string{"Start today’s session, or open a tune to go on where you left it.",
		"Add a tune: tap it in, play it in, or paste it.", "Search by title, tag, tuning or key."}},
	"draft": {"What Stepping understood, before anything is saved.", [3]string{"Listen to it, and look at the places that may be misprints.",
		"Choose which voice is the melody and which the bass.", "Save it: Stepping works out how to play it."}},
	"neck": {"Enter a tune on a picture of the neck.", [3]string{"Choose a length, then touch a string at a fret.", "Mark notes for the slide, and add chords.",
		"Press Work out how to play it."}},
	"playin": {"Sing or play a line, and Stepping writes down the notes.", [3]string{"Press Record and play one note at a time.", "Tap the beat if it is not found.",
		"Correct the notes on the next page."}},
	"plan": {"How to play the tune, one moment at a time.", [3]string{"Press the arrow keys, swipe or press Play to move through the tune.",
		"Press Other places to play a note somewhere else.", "Turn the dials to change how much slide there is, or how hard it is."}},
	"text": {"The tune as text.", [3]string{"Correct notes and chords, then save.", "Give it tags to find it by.", "Delete the tune; you can restore it for a month."}},
	"suit": {"Which tuning and capo suit the tune.", [3]string{"Use one of the three proposals.", "Rank every tuning and capo.", "Look at where home is on each neck."}},
	"hear": {"Hear the tune as it is planned.", [3]string{"Choose bars and a tempo.", "Switch melody, bass and click on and off.", "Listen to the unwanted ringing alone."}},
	"practise": {"One step at a time, at the right tempo.", [3]string{"Listen, get counted in, and play.", "Say how it went: clean, nearly, or it broke down.",
		"The next tempo and the next step follow from that."}},
	"ladder": {"All steps of the tune, in order.", [3]string{"See what is learnt and what is open.", "Open any step.", "Leave a step for another day when it does not improve."}},
	"take": {"Check a recording of yours against the plan.", [3]string{"Record in the browser, or choose a WAV file.", "Read what to work on, worst first.",
		"Hear a passage again at half speed."}},
	"besides":     {"Two recordings of the tune, bar by bar.", [3]string{"See which bars got better.", "Play the same bar of both.", "Go back to all recordings."}},
	"log":         {"What you have practised on this tune.", [3]string{"See what is clean in each bar.", "See what is stuck, and try another way.", "Write notes on bars."}},
	"away":        {"Files of the tune to use elsewhere.", [3]string{"Print the whole tune.", "Download tablature, MusicXML, MIDI or ABC.", "Download the plan as JSON."}},
	"whole":       {"The whole tune on one page.", [3]string{"Print it from the browser’s menu.", "Add a staff above the tablature.", "Press Play to follow it."}},
	"stand":       {"Two bars, readable from a metre away.", [3]string{"Turn with a pedal, two keys or a touch.", "Press Follow me, and it turns while you play.", "Esc leaves the stand."}},
	"pace":        {"What holds the tempo down.", [3]string{"Look at the three hardest moves.", "Take the change that helps most.", "Undo it on the plan if you do not like it."}},
	"variations":  {"What else fits at this bar.", [3]string{"Try another order of strings or a phrase.", "Save bars as a lick.", "See which notes are free to improvise with."}},
	"compare":     {"Different ways to play the tune, side by side.", [3]string{"Compare the figures; bold is best.", "Choose two ways to see next to each other.", "Go back to the plan."}},
	"losses":      {"Notes that cannot be played as written.", [3]string{"Choose a fix for each note.", "Or use the first fix for all.", "Or try another tuning."}},
	"sheets":      {"A sheet of this tune for each pupil.", [3]string{"Tick players and choose their levels.", "See where their sheets differ, and why.", "Print a page for each, or lend the tune."}},
	"sheetspaper": {"The sheets as they will be printed.", [3]string{"Print them from the browser’s menu.", "Check the remarks under the music.", "Go back to the pupils."}},
	"slidesfor":   {"Which of your slides suits the tune.", [3]string{"Compare top tempo and tone.", "Choose one finger and stay with it.", "Add your slides under Slides."}},
	"today":       {"Today’s session, out of all your tunes.", [3]string{"Choose how long you want to play.", "Press Start and go through it with one key.", "Add a gig, and its tunes come first."}},
	"part":        {"One part of today’s session.", [3]string{"Do what it says until the time is up.", "Go on with the pedal.", "Stop if anything hurts."}},
	"bench":       {"Tune the guitar, safely and in a good order.", [3]string{"Choose the tuning you want.", "Turn one string at a time; press Listen to be told how far.", "See what the tuning gives under a bar."}},
	"guitar":      {"The measurements of a guitar.", [3]string{"Enter scale, strings and action.", "Use them for a player.", "See your slides on it."}},
	"slides":      {"Your slides: weight, reach and fit.", [3]string{"Add a slide with its measurements.", "See what it does on your finger.", "Choose one for your plans."}},
	"slide":       {"One slide.", [3]string{"Change its measurements.", "See how heavy it is and whether it fits.", "Use it for your plans."}},
	"patterns":    {"Picking patterns for the thumb and fingers.", [3]string{"Listen to each.", "Make your own from one of them.", "Use one on a tune, under Setup."}},
	"pattern":     {"An editor for one picking pattern.", [3]string{"Set thumb and fingers on the grid.", "Try it on a chord.", "Save it, then use it on a tune."}},
	"chords":      {"A grip for every chord, in any tuning.", [3]string{"Type the chords with | between bars.", "Choose other grips with the number keys.", "Loop the chords and play along."}},
	"set":         {"The best order for a set.", [3]string{"Choose tunes and one or two guitars.", "See what to retune between them.", "Save the set."}},
	"licks":       {"Bars that you saved.", [3]string{"Open one to see where it occurs.", "Filter by tag.", "Build a tune from licks."}},
	"lick":        {"One lick.", [3]string{"Fit it over another chord, tuning or player.", "See in which tunes it occurs.", "Put it into a tune."}},
	"build":       {"A tune made of licks over a form.", [3]string{"Choose form, key and tuning.", "Choose licks yourself, or let Stepping choose.", "Make the tune."}},
	"profiles":    {"The players that tunes are planned for.", [3]string{"Open yours and answer the questions.", "Add a player for each pupil.", "Export everything."}},
	"profile":     {"One player: hands, slide and habits.", [3]string{"Answer the first questions; the rest can wait.", "Train the slide, and measure the hands.", "Connect a pupil’s account."}},
	"hands":       {"How fast these hands are.", [3]string{"Practise hard moves to measure them.", "Use the figures from your log.", "Go back to typical values."}},
	"taste":       {"What Stepping learns from your own choices.", [3]string{"Let it learn, or stop it.", "See what it found.", "Accept it, or forget it."}},
	"intune":      {"Train the slide to land in tune.", [3]string{"Press Listen, and play the note you hear.", "See how far off you were, and why.", "Look at your weak places on the neck."}},
	"pupilslog":   {"What a pupil has practised.", [3]string{"See which tunes and bars.", "See how it went.", "Write a remark on the tune’s Pupils page."}},
	"lent":        {"What you lend and borrow.", [3]string{"Take back a tune, or return one.", "Show a teacher your practice log, or stop showing it.", "See your pupils."}},
	"recordings":  {"How much room your recordings take up.", [3]string{"Find the largest ones.", "Delete what you do not need.", "Export everything first."}},
	"signin":      {"Sign in to your tunes.", [3]string{"Enter your name and password.", "Forgotten it? Ask whoever runs this Stepping for a link.", "New here? Ask for an invitation."}},
	"error":       {"Something did not work.", [3]string{"Read what happened and what to do.", "Go back: what you typed is not lost.", "Or go to your tunes."}},
	"account":     {"Your account.", [3]string{"Change your password.", "Invite somebody.", "Export or import everything."}},
	"learn":       {"Learn Stepping in five minutes.", [3]string{"Start the six steps on your own first tune.", "Leave at any time.", "Come back from Help."}},
}

// tourStep is one of the six steps of *Learn it in five minutes*.
type tourStep struct {
	Page string // behind the tune's address
	Text string
}

var tour = []tourStep{
	{"", "The large figures say what to play now. Press → or touch ▶ to go to the next note; Page Down goes on by a bar."},
	{"", "Press Space, or touch Play, to hear it from here. The keys , and . make it slower and faster."},
	{"", "Not happy with a place? Press e or touch Other places, then press 1 for the first of them. It is pinned, and the rest adapts."},
	{"", "Press u, or touch Undo. You can try anything: everything can be undone."},
	{"/practise", "Practise shows one step. Listen, play, then say how it went: clean, nearly, or it broke down. The tempo follows from that."},
	{"/stand", "On the stand you see two bars from a metre away, and turn with a pedal or a touch. Esc leaves it. That is all: press ? on any page for help."},
}

// tourView is the step that is shown.
type tourView struct {
	N, Of int
	Text  string
	Last  bool
	Next  int
}

const tourCookie = "tour"

// tourOf is the step that a browser is at, nil if it is at none.
func tourOf(c *gin.Context) *tourView {
	at, err := c.Cookie(tourCookie)
	n, err2 := strconv.Atoi(at)
	if err != nil || err2 != nil || n < 1 || n > len(tour) {
		return nil
	}
	return &tourView{n, len(tour), tour[n-1].Text, n == len(tour), n + 1}
}

// learnPage tells what the six steps are.
func (s *Server) learnPage(c *gin.Context) {
	first, err := s.firstTune(c)
	if err != nil {
		s.failFor(c, err)
		return
	}
	body := struct {
		Title string
		Steps []tourStep
	}{Steps: tour}
	if first != nil {
		body.Title = first.Title
	}
	s.draw(c, http.StatusOK, "learn", "Learn it in five minutes", body)
}

// firstTune is the tune that the owner added first, nil if there is none.
func (s *Server) firstTune(c *gin.Context) (*store.Listed, error) {
	tunes, err := s.store.Find(c.Request.Context(), door.Owner(c), &store.ListQuery{Most: 1})
	if err != nil || len(tunes) == 0 {
		return nil, err
	}
	return &tunes[0], nil
}

// goOnTour goes to a step, or leaves with an empty one.
func (s *Server) goOnTour(c *gin.Context) {
	n := atoi(c.PostForm("step"))
	cookie := http.Cookie{Name: tourCookie, Value: strconv.Itoa(n), Path: "/", MaxAge: 24 * 3600, HttpOnly: true, SameSite: http.SameSiteStrictMode}
	if n < 1 || n > len(tour) {
		cookie.MaxAge = -1
		http.SetCookie(c.Writer, &cookie)
		c.Redirect(http.StatusSeeOther, door.LocalPath(c.DefaultPostForm("back", "/learn")))
		return
	}
	first, err := s.firstTune(c)
	switch {
	case err != nil:
		s.failFor(c, err)
	case first == nil:
		s.fail(c, http.StatusConflict, errors.New("add a tune first, or open the demo tune on the first page"))
	default:
		http.SetCookie(c.Writer, &cookie)
		c.Redirect(http.StatusSeeOther, "/tunes/"+first.ID.String()+tour[n-1].Page)
	}
}
