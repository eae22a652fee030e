package web

import (
	"errors"
	"net/http"

	"github.com/gin-gonic/gin"
)

func (s *Server) routes() *gin.Engine {
	gin.SetMode(gin.ReleaseMode)
	r := gin.New()
	r.HandleMethodNotAllowed = true
	r.ContextWithFallback = true // a request that is given up stops the planner
	r.Use(append([]gin.HandlerFunc{s.observed, s.recover}, s.door.Guards()...)...)
	r.NoRoute(func(c *gin.Context) { s.fail(c, http.StatusNotFound, errors.New("this page does not exist")) })
	r.NoMethod(func(c *gin.Context) {
		s.fail(c, http.StatusMethodNotAllowed, errors.New("this address does not take that kind of request"))
	})

	serveStatic(r)
	r.GET("/healthz", func(c *gin.Context) { c.String(http.StatusOK, "ok\n") })
	r.GET("/readyz", s.ready)
	r.GET("/metrics", s.metrics)

	s.door.Routes(r)
	r.GET("/everything.zip", s.takeEverything)
	r.POST("/everything", s.importEverything)
	r.GET("/recordings", s.recordings)

	r.GET("/", s.home)
	r.POST("/tunes", s.addTune)
	r.POST("/demo-tune", s.addDemoTune)
	r.GET("/sample.wav", s.sampleSound)
	r.POST("/look", setLook)
	r.GET("/learn", s.learnPage)
	r.POST("/tour", s.goOnTour)
	r.GET(playInRoute, s.playInPage)
	r.POST(playInRoute, s.playIn)

	s.draftRoutes(r)
	s.uploadRoutes(r)

	s.practiceRoutes(r)
	s.shelfRoutes(r)
	s.loanRoutes(r)
	s.lickRoutes(r)
	s.tuneRoutes(r.Group("/tunes/:id"))
	return r
}

// practiceRoutes are the addresses of sittings, days and the log, over all tunes.
func (s *Server) practiceRoutes(r *gin.Engine) {
	r.GET("/today", s.today)
	r.GET("/today/part", s.sittingPart)
	r.POST("/gigs", s.addGig)
	r.POST("/gigs/:id/delete", s.deleteGig)
	r.GET("/log.csv", s.logFile)
	r.GET("/log.json", s.logFile)
}

// shelfRoutes are the addresses of what belongs to a player besides tunes.
func (s *Server) shelfRoutes(r *gin.Engine) {
	r.GET("/bench", s.bench)
	r.POST("/bench/hear", s.hearString)
	r.GET("/tone.wav", s.tone)
	r.GET("/set", s.set)
	r.POST("/pages", s.addPage)
	r.POST("/pages/:id/delete", s.deletePage)
	r.POST("/guitars", s.addGuitar)
	r.GET("/guitars/:id", s.guitar)
	r.POST("/guitars/:id", s.saveGuitar)
	r.POST("/guitars/:id/tuning", s.keepTuning)
	r.POST("/guitars/:id/delete", s.deleteGuitar)
	r.POST("/guitars/:id/play", s.playGuitar)
	r.GET("/slides", s.slideShelf)
	r.POST("/slides", s.addSlide)
	r.GET("/slides/:id", s.slide)
	r.POST("/slides/:id", s.saveSlide)
	r.POST("/slides/:id/delete", s.deleteSlide)
	r.POST("/slides/:id/wear", s.wearSlide)
	r.GET("/chords", s.chords)
	r.GET("/chords.wav", s.hearChords)
	r.GET("/patterns", s.patterns)
	r.POST("/patterns", s.addPattern)
	r.GET("/patterns/:id", s.pattern)
	r.POST("/patterns/:id", s.savePattern)
	r.POST("/patterns/:id/preview", s.previewPattern)
	r.POST("/patterns/:id/delete", s.deletePattern)

	r.GET("/profiles", s.profiles)
	r.POST("/profiles", s.addProfile)
	r.GET("/profiles/:id", s.profile)
	r.POST("/profiles/:id", s.saveProfile)
	r.GET("/profiles/:id/taste", s.tastePage)
	r.POST("/profiles/:id/taste", s.saveTaste)
	r.GET("/profiles/:id/hands", s.hands)
	r.POST("/profiles/:id/hands", s.takeHands)
	r.GET(inTuneRoute, s.inTunePage)
	r.GET(inTuneRoute+"/listen", s.hearSlide)
	r.POST("/profiles/:id/copy", s.copyProfile)
	r.POST("/profiles/:id/delete", s.deleteProfile)
}

// draftRoutes are the addresses of tunes that come in.
func (s *Server) draftRoutes(r *gin.Engine) {
	r.POST("/drafts", s.addDraft)
	r.POST("/neck", s.addNeck)
	r.GET("/drafts/:id", s.draft)
	r.POST("/drafts/:id", s.chooseDraft)
	r.GET("/drafts/:id/sound.wav", s.hearDraft)
	r.POST("/drafts/:id/key", s.pressKey)
	r.POST("/drafts/:id/frame", s.frameNeck)
	r.POST("/drafts/:id/keep", s.keepDraftTune)
	r.POST("/drafts/:id/delete", s.deleteDraft)
}

// tuneRoutes are the addresses of one tune.
func (s *Server) tuneRoutes(tune *gin.RouterGroup) {
	tune.GET("", s.planPage)
	tune.GET("/at/:m", s.atMoment)
	tune.GET("/otherwise.json", s.planOtherwise)
	tune.GET("/picture.svg", s.tunePicture)
	tune.GET("/dials.json", s.dialsJSON)
	tune.POST("/dials", s.turnDials)
	tune.GET("/plan.json", s.planJSON)
	for file := range planFiles {
		tune.GET("/"+file, s.planFile(file))
	}
	tune.GET("/practise", s.practise)
	tune.GET("/ladder", s.ladder)
	tune.POST("/pass", s.addPass)
	tune.POST("/pass/back", s.takeBackPass)
	tune.GET("/log", s.tuneLog)
	tune.GET("/take", s.takePage)
	tune.POST("/take", s.judgeTake)
	tune.GET("/takes", s.besides)
	tune.GET("/takes/:take", s.keptTakePage)
	tune.GET("/takes/:take/sound.wav", s.takeSound)
	tune.POST("/takes/:take/delete", s.deleteTake)
	tune.POST("/note", s.saveNote)
	tune.GET("/hear", s.hearPage)
	tune.GET("/sound.wav", s.hear)
	tune.GET("/away", s.takeAway)
	tune.GET("/whole", s.wholeTune)
	tune.GET("/stand", s.standPage)
	tune.GET("/follow", s.follow)
	tune.GET("/strum", s.hearStrum)
	tune.GET("/free", s.freeNotes)
	tune.GET("/text", s.text)
	tune.POST("/text", s.saveText)
	tune.POST("/tags", s.saveTags)
	tune.GET("/tune.abc", s.tuneABC)
	tune.POST("/settings", s.saveSettings)
	tune.POST("/sections", s.saveSection)
	tune.POST("/pin", s.pin)
	tune.POST("/unpin", s.unpin)
	tune.GET("/pace", s.pace)
	tune.GET("/variations", s.variations)
	tune.POST("/rewrite", s.rewrite)
	tune.POST("/lick", s.keepLick)
	tune.GET("/phrase.wav", s.hearPhrase)
	tune.GET("/slides", s.compareSlides)
	tune.GET("/suit", s.suit)
	tune.POST("/suit", s.startSuit)
	tune.POST("/suit/stop", s.stopSuit)
	tune.POST("/way", s.takeWay)
	tune.GET("/compare", s.compare)
	tune.GET("/sheets", s.sheetsPage)
	tune.POST("/sheets", s.saveSheets)
	tune.GET("/sheets/progress", s.sheetsProgress)
	tune.POST("/sheets/stop", s.stopSheets)
	tune.GET("/sheets/print", s.printSheets)
	tune.POST("/remark", s.saveRemark)
	tune.POST("/levels", s.saveLevels)
	tune.POST("/lend", s.lendTune)
	tune.GET("/progress", s.progress)
	tune.POST("/stop", s.stopPlan)
	tune.POST("/again", s.planAgain)
	tune.POST("/unpin-all", s.unpinAll)
	tune.GET("/losses", s.losses)
	tune.POST("/mend", s.mend)
	tune.POST("/keep", s.keepPlan)
	tune.POST("/undo", s.undo)
	tune.POST("/redo", s.redo)
	tune.POST("/delete", s.deleteTune)
	tune.POST("/bring-back", s.bringBackTune)
}
