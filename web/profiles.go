package web

import (
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"stepping/core/player"
	"stepping/core/setup"
	"stepping/store"
	"stepping/web/door"
)

// profileField is one row of the profile form.
type profileField struct {
	Name, Label, Kind, Value, Help, Error string
	On                                    bool
	Options                               []option
}

type option struct{ Value, Text string }

type profileBody struct {
	ID      string
	Name    string
	Version int
	Notice  string
	Fields  []profileField // what is asked first
	Rest    []profileField // measures, and what is only for some
	Slide   []string       // what the slide does on this guitar

	Lending        bool      // there are accounts
	Tie            *loanView // the account that this player is, nil for none
	Link, LinkTill string    // just made, by which an account becomes this player
}

// profileInput ties a form field to its place in the profile.
type profileInput struct {
	name, label, help string
	options           []option
	text              func(*player.Profile) *string
	number            func(*player.Profile) *float64
	count             func(*player.Profile) *int
	check             func(*player.Profile) *bool
	uses              string                          // a special technique
	list              func(*player.Profile) *[]string // names between semicolons
}

// profileInputs is the profile form; names are the keys of the player file.
var profileInputs = []profileInput{
	{name: "name", label: "Name", text: func(p *player.Profile) *string { return &p.Name }},
	{name: "leftHanded", label: "Left-handed: necks and hands are drawn mirrored", check: func(p *player.Profile) *bool { return &p.LeftHanded }},
	{name: "posture", label: "How the guitar lies",
		options: []option{{"upright", "upright, a tube on a finger"}, {"lap", "flat, a solid bar held over it"}},
		text:    func(p *player.Profile) *string { return &p.Posture }},
	{name: "slideFinger", label: "Finger that wears the slide", help: "It never frets. On the ring finger the little finger is stranded in front.",
		options: []option{{"4", "little finger"}, {"3", "ring finger"}, {"2", "middle finger"}},
		count:   func(p *player.Profile) *int { return &p.SlideFinger }},
	{name: "silence", label: "What keeps other strings quiet",
		options: []option{{"heel", "picking hand: the heel between notes, and fingers stopping strings"}, {"fingers", "picking fingers resting, thumb covering below"},
			{"trailing", "a finger trailing behind the slide"}, {"both", "trailing and picking hand together"},
			{"lap", "lap style: each string stopped as the next speaks, the bar tilted"}, {"ring", "nothing: strings are left to ring, like a harp"}},
		text: func(p *player.Profile) *string { return &p.Silence }},
	{name: "lean", label: "How much with the slide",
		options: []option{{"mixed", "mostly, as the notes ask"}, {"slide", "all of it"}, {"main", "mixed: the main notes, passing notes fretted"},
			{"fret", "only the peaks"}, {"none", "no slide"}},
		text: func(p *player.Profile) *string { return &p.Lean }},
	{name: "fingers", label: "Picking fingers besides the thumb", options: []option{{"1", "1: i"}, {"2", "2: i m"}, {"3", "3: i m a"}},
		count: func(p *player.Profile) *int { return &p.Fingers }},
	{name: "attack", label: "Attack", options: []option{{"flesh", "fingertips"}, {"nails", "nails"}, {"thumbpick", "thumb pick"},
		{"picks", "thumb and finger picks"}},
		text: func(p *player.Profile) *string { return &p.Attack }},
	{name: "support", label: "What steadies the picking hand", help: "A planted little finger can cramp the hand; it also cannot damp.",
		options: []option{{"float", "nothing: it floats"}, {"heel", "the heel near the bridge"}, {"planted", "the little finger planted on the top"}},
		text:    func(p *player.Profile) *string { return &p.Support }},
	{name: "thumb", label: "What your thumb does", help: "In new tunes that do not say. Each tune can be set differently.",
		options: []option{{"", "alternates between bass strings"}, {"steady", "keeps to the root"}, {"none", "cannot play separately yet: melody only"}},
		text:    func(p *player.Profile) *string { return &p.Thumb }},
	{name: "accent", label: "The thumb's heavy beats", help: "Where no picking pattern says otherwise.",
		options: []option{{"one", "beat 1"}, {"two-four", "beats 2 and 4"}, {"even", "all alike"}},
		text:    func(p *player.Profile) *string { return &p.Accent }},
	{name: "vibrato", label: "Your vibrato", help: "Stepping says which notes want it, and how wide and fast. It never changes where a note is played.",
		options: []option{{"", "medium"}, {"wide", "slow and wide"}, {"narrow", "quick and narrow"}, {"none", "none"}},
		text:    func(p *player.Profile) *string { return &p.Vibrato }},
	{name: "level.name", label: "Level of this player’s sheets, by name", help: "For a pupil. Leave it empty for a tune as it is arranged.",
		text: func(p *player.Profile) *string { return &p.Level.Name }},
	{name: "level.ease", label: "At that level is left out", help: "Each line includes all those above it.", options: easeOptions(),
		count: func(p *player.Profile) *int { return &p.Level.Ease }},
	{name: "reachMm", label: "Reach of fingers 1 to 4, mm",
		help:   "Without strain, measured fingertip to fingertip. 100 mm covers three frets at the nut.",
		number: func(p *player.Profile) *float64 { return &p.ReachMM }},
	{name: "fretBehindSlide", label: "Frets bass notes behind the sounding slide",
		check: func(p *player.Profile) *bool { return &p.FretBehindSlide }},
	{name: "thumbOver", label: "Frets string 6 with the thumb over the neck", check: func(p *player.Profile) *bool { return &p.ThumbOver }},
	{name: "drone", label: "Welcomes open home bass notes under other chords", check: func(p *player.Profile) *bool { return &p.Drone }},
	{name: "uses-bend", label: "Bends fretted strings", uses: player.UsesBend},
	{name: "uses-harmonic", label: "Plays harmonics", uses: player.UsesHarmonic},
	{name: "uses-tap", label: "Taps notes on the neck", uses: player.UsesTap},
	{name: "uses-hook", label: "Bends with the picking hand", uses: player.UsesHook},
	{name: "tunings", label: "Tunings that you know",
		help: "Names separated by semicolons, like Open D; Standard. Stepping tries these first for new tunes. Empty: the common ones.",
		list: func(p *player.Profile) *[]string { return &p.Tunings }},
	{name: "fittsA", label: "Shortest time for any move of the hand, s",
		help:   "Together with the next figure this sets how fast you move: a + b · log2(distance / width + 1).",
		number: func(p *player.Profile) *float64 { return &p.FittsA }},
	{name: "fittsB", label: "Extra time for each doubling of its difficulty, s", number: func(p *player.Profile) *float64 { return &p.FittsB }},
	{name: "restrikeS", label: "Shortest time between two strokes of the same finger, s", help: "0: typical for your attack.",
		number: func(p *player.Profile) *float64 { return &p.RestrikeS }},
	{name: "fingerMm", label: "Width of the slide's finger at its widest knuckle, mm",
		help: "0 if not measured. Tells you whether a tube fits.", number: func(p *player.Profile) *float64 { return &p.FingerMM }},
	{name: "slide.lengthMm", label: "Length of the slide, mm", help: "Never force a tight slide over a knuckle; retire a chipped glass one.",
		number: func(p *player.Profile) *float64 { return &p.Slide.LengthMM }},
	{name: "slide.boreMm", label: "Inner width of the slide, mm", help: "0 if not measured. Weight and fit are worked out from it.",
		number: func(p *player.Profile) *float64 { return &p.Slide.BoreMM }},
	{name: "slide.wallMm", label: "Thickness of its wall, mm", number: func(p *player.Profile) *float64 { return &p.Slide.WallMM }},
	{name: "slide.material", label: "What it is made of", options: []option{{"", "not said"}, {"glass", "glass"},
		{"brass", "brass"}, {"steel", "steel"}, {"ceramic", "ceramic"}},
		text: func(p *player.Profile) *string { return &p.Slide.Material }},
	{name: "instrument.scaleMm", label: "Scale length, mm", number: func(p *player.Profile) *float64 { return &p.Instrument.ScaleMM }},
	{name: "instrument.nutMm", label: "First to last string at the nut, mm", number: func(p *player.Profile) *float64 { return &p.Instrument.NutMM }},
	{name: "instrument.bridgeMm", label: "First to last string at the bridge, mm",
		number: func(p *player.Profile) *float64 { return &p.Instrument.BridgeMM }},
	{name: "instrument.frets", label: "Number of frets", count: func(p *player.Profile) *int { return &p.Instrument.Frets }},
	{name: "instrument.actionMm", label: "Strings over fret 12, mm", number: func(p *player.Profile) *float64 { return &p.Instrument.ActionMM }},
}

// easeOptions are the positions of the dial *how hard*.
func easeOptions() (out []option) {
	for ease := range player.MostEase + 1 {
		out = append(out, option{strconv.Itoa(ease), setup.LeftOut(player.Level{Ease: ease})})
	}
	return out
}

func (in *profileInput) field(p *player.Profile) profileField {
	f := profileField{Name: in.name, Label: in.label, Help: in.help, Options: in.options, Kind: "text"}
	if in.options != nil {
		f.Kind = "select"
	}
	switch {
	case in.text != nil:
		f.Value = *in.text(p)
	case in.number != nil:
		f.Value = strconv.FormatFloat(*in.number(p), 'f', -1, 64)
	case in.count != nil:
		f.Value = strconv.Itoa(*in.count(p))
	case in.list != nil:
		f.Value = strings.Join(*in.list(p), "; ")
	case in.uses != "":
		f.Kind, f.On = "check", p.Uses(in.uses)
	default:
		f.Kind, f.On = "check", *in.check(p)
	}
	return f
}

// read puts the typed value into p; the error says what is wanted.
func (in *profileInput) read(p *player.Profile, value string) error {
	var err error
	switch {
	case in.text != nil:
		*in.text(p) = value
	case in.number != nil:
		*in.number(p), err = strconv.ParseFloat(value, 64)
	case in.count != nil:
		*in.count(p), err = strconv.Atoi(value)
	case in.list != nil:
		*in.list(p) = nil
		for _, name := range strings.Split(value, ";") {
			if name = strings.TrimSpace(name); name != "" {
				*in.list(p) = append(*in.list(p), name)
			}
		}
	case in.uses != "":
		p.SetUses(in.uses, value == "yes")
	default:
		*in.check(p) = value == "yes"
	}
	if err != nil {
		return fmt.Errorf("%q is not a number", value)
	}
	return nil
}

// readFields reads a form onto p. bad says that a field is at fault.
func readFields(c *gin.Context, inputs []profileInput, p *player.Profile) (fields []profileField, bad bool) {
	old := *p
	for i := range inputs {
		in := &inputs[i]
		err := in.read(p, strings.TrimSpace(c.PostForm(in.name)))
		f := in.field(p)
		if err != nil {
			f.Value, f.Error, bad = c.PostForm(in.name), err.Error(), true
		}
		fields = append(fields, f)
	}
	p.FollowPosture(&old)
	var fe *player.FieldError
	if err := p.Validate(); !bad && errors.As(err, &fe) {
		for i := range fields {
			if fields[i].Name == fe.Field {
				fields[i].Error, bad = fe.Text, true
			}
		}
	}
	return fields, bad
}

func fieldsOf(inputs []profileInput, p *player.Profile) (out []profileField) {
	for i := range inputs {
		out = append(out, inputs[i].field(p))
	}
	return out
}

func (s *Server) profiles(c *gin.Context) {
	profiles, err := s.store.Profiles(c.Request.Context(), door.Owner(c))
	if err != nil {
		s.failFor(c, err)
		return
	}
	var body struct{ Profiles []playerCard }
	for i := range profiles {
		p := &profiles[i].Profile
		body.Profiles = append(body.Profiles, playerCard{profiles[i].ID.String(), profileName(p), playerFacts(p, "slideFinger", "lean", "silence", "attack", "support", "slide")})
	}
	s.render(c, http.StatusOK, "profiles", "layout", "Players", body)
}

// somePlayers returns the owner's players, or if all were deleted one that is kept nowhere.
func (s *Server) somePlayers(c *gin.Context) ([]store.Profile, error) {
	all, err := s.store.Profiles(c.Request.Context(), door.Owner(c))
	if len(all) == 0 {
		all = []store.Profile{{Profile: player.Default()}}
	}
	return all, err
}

func (s *Server) addProfile(c *gin.Context) {
	p := player.Default()
	p.Name = c.PostForm("name")
	if err := p.Validate(); err != nil {
		s.fail(c, http.StatusUnprocessableEntity, err)
		return
	}
	id, err := s.store.AddProfile(c.Request.Context(), door.Owner(c), p)
	if err != nil {
		s.failFor(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/profiles/"+id.String())
}

func (s *Server) profile(c *gin.Context) {
	p, ok := s.profileParam(c)
	if !ok {
		return
	}
	s.showProfile(c, p, "", "")
}

// showProfile draws a player's page, with the link by which an account becomes this player if one was just made.
func (s *Server) showProfile(c *gin.Context, p *store.Profile, link, till string) {
	body := profileBody{ID: p.ID.String(), Name: profileName(&p.Profile), Version: p.Version, Link: link, LinkTill: till, Lending: door.Name(c) != ""}
	loans, err := s.store.Loans(c.Request.Context(), door.Owner(c))
	if err != nil {
		s.failFor(c, err)
		return
	}
	for i := range loans {
		if l := &loans[i]; l.Profile == p.ID && l.Tune == (store.ID{}) && l.To != (store.ID{}) {
			v := newLoanView(l)
			body.Tie = &v
		}
	}
	body.ask(fieldsOf(profileInputs, &p.Profile))
	if p.Profile.Lean != player.LeanNone {
		body.Slide = slideWords(&p.Profile)
	}
	s.render(c, http.StatusOK, "profile", "layout", body.Name, body)
}

// askedFirst are the questions that decide most of a plan.
var askedFirst = []string{"name", "leftHanded", "lean", "slideFinger", "silence", "thumb", "reachMm"}

// ask puts the questions that matter most before the others; one that was answered wrong is not folded away.
func (b *profileBody) ask(fields []profileField) {
	for _, f := range fields {
		if slices.Contains(askedFirst, f.Name) || f.Error != "" {
			b.Fields = append(b.Fields, f)
		} else {
			b.Rest = append(b.Rest, f)
		}
	}
}

func (s *Server) saveProfile(c *gin.Context) {
	old, ok := s.profileParam(c)
	if !ok {
		return
	}
	p := old.Profile
	fields, bad := readFields(c, profileInputs, &p)
	body := profileBody{ID: old.ID.String(), Name: profileName(&old.Profile), Version: old.Version}
	body.ask(fields)
	if bad {
		s.render(c, http.StatusUnprocessableEntity, "profile", "layout", body.Name, body)
		return
	}
	err := s.store.SaveProfile(c.Request.Context(), door.Owner(c), old.ID, atoi(c.PostForm("version")), p)
	switch {
	case errors.Is(err, store.ErrStale):
		body.Notice = "This player was changed in another tab in the meantime. What you typed is below; save again to use it."
		s.render(c, http.StatusConflict, "profile", "layout", body.Name, body)
	case err != nil:
		s.failFor(c, err)
	default:
		c.Redirect(http.StatusSeeOther, "/profiles")
	}
}

// copyProfile makes a second player like this one, to try something else with.
func (s *Server) copyProfile(c *gin.Context) {
	old, ok := s.profileParam(c)
	if !ok {
		return
	}
	p := old.Profile
	p.Name = "Copy of " + profileName(&p)
	if r := []rune(p.Name); len(r) > 60 {
		p.Name = string(r[:60])
	}
	id, err := s.store.AddProfile(c.Request.Context(), door.Owner(c), p)
	if err != nil {
		s.failFor(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/profiles/"+id.String())
}

func (s *Server) deleteProfile(c *gin.Context) {
	id, ok := s.idParam(c)
	if !ok {
		return
	}
	switch err := s.store.DeleteProfile(c.Request.Context(), door.Owner(c), id); {
	case errors.Is(err, store.ErrInUse):
		s.fail(c, http.StatusConflict, errors.New("a tune is planned for this player: choose another player for it first"))
	case err != nil:
		s.failFor(c, err)
	default:
		s.desk.Jobs.StopOf(id.String())
		c.Redirect(http.StatusSeeOther, "/profiles")
	}
}

// playerCard is a player on the list, with what plans depend on most.
type playerCard struct {
	ID, Name string
	Facts    []playerFact
}

type playerFact struct{ Label, Value string }

// playerFacts are choices of a profile by the names of its fields, as its form words them; not those of a slide that is not worn.
func playerFacts(p *player.Profile, names ...string) (out []playerFact) {
	if p.LeftHanded {
		out = append(out, playerFact{"Hand", "left-handed"})
	}
	if p.Lap() {
		names = slices.Insert(slices.Clone(names), 0, "posture")
	}
	for _, name := range names {
		switch {
		case strings.HasPrefix(name, "slide") && p.Lean == player.LeanNone || name == "slideFinger" && p.Lap():
			continue
		case name == "slide":
			out = append(out, playerFact{"Slide", fmt.Sprintf("%.0f mm %s", p.Slide.LengthMM, p.Slide.Material)})
			continue
		}
		at := slices.IndexFunc(profileInputs, func(in profileInput) bool { return in.name == name })
		f := profileInputs[at].field(p)
		for _, o := range f.Options {
			if o.Value == f.Value {
				out = append(out, playerFact{f.Label, o.Text})
			}
		}
	}
	return out
}

type profileChoice struct {
	ID   string
	Name string
}

func choices(profiles []store.Profile) []profileChoice {
	var out []profileChoice
	for _, p := range profiles {
		out = append(out, profileChoice{p.ID.String(), profileName(&p.Profile)})
	}
	return out
}

func profileName(p *player.Profile) string {
	if p.Name == "" {
		return "Unnamed player"
	}
	return p.Name
}
