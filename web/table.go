package web

import (
	"slices"

	"dyekit/core/colour/icc"
	"dyekit/core/colour/palette"
	"dyekit/core/recipe"
	"dyekit/core/resemble"
	"dyekit/core/version"
)

// table is every route there is, by what people do.
func (s *Server) table() []Route {
	return slices.Concat(s.deskRoutes(), s.masterRoutes(), s.inkRoutes(), s.versionRoutes(), s.fileRoutes(), s.proofRoutes(), s.kitRoutes(), s.deliveryRoutes(), s.boardRoutes(), s.sheetRoutes(), s.photoRoutes(), s.peopleRoutes(), s.scriptRoutes(), s.apiRoutes())
}

// deskRoutes are of the desk: clients, marks and what is put away.
func (s *Server) deskRoutes() []Route {
	return []Route{
		{"GET", "/static/*file", everybody, none, s.static},
		{"GET", "/healthz", everybody, none, s.health},
		{"GET", "/", viewer, none, s.on(s.desk)},
		{"GET", "/new", viewer, none, s.on(s.newMark)},
		{"POST", "/marks", designer, maxUpload, s.on(s.takeIn)},
		{"GET", "/marks/:id", viewer, none, s.on(s.toMaster)},
		{"POST", "/marks/:id/who", designer, form, s.on(s.setPerson)},
		{"POST", "/marks/:id/undo", designer, form, s.on(s.undo)},
		{"POST", "/marks/:id/redo", designer, form, s.on(s.redo)},
		{"GET", "/marks/:id/tag.png", viewer, none, s.on(s.tag)},
		{"POST", "/marks/:id/away", designer, form, s.on(s.putAway)},
		{"POST", "/marks/:id/back", designer, form, s.on(s.bringBack)},
		{"GET", "/marks/:id/delete", viewer, none, s.on(s.askDelete)},
		{"POST", "/marks/:id/delete", designer, form, s.on(s.deleteMark)},
		{"POST", "/clients/:id/away", designer, form, s.on(s.putClientAway)},
	}
}

// masterRoutes are of masters: taking them in, parts, tracing, typed and composed ones.
func (s *Server) masterRoutes() []Route {
	return []Route{
		{"GET", "/marks/:id/master", viewer, none, s.on(s.station("master"))},
		{"POST", "/marks/:id/master", designer, maxUpload, s.on(s.revise)},
		{"POST", "/marks/:id/master-back", designer, form, s.on(s.goBack)},
		{"POST", "/marks/:id/settle", designer, form, s.on(s.settle)},
		{"GET", "/marks/:id/compare", viewer, none, s.on(s.compare)},
		{"GET", "/marks/:id/compare/:which", viewer, none, s.on(s.comparePicture)},
		{"GET", "/marks/:id/parts", viewer, none, s.on(s.station("parts"))},
		{"POST", "/marks/:id/parts", designer, form, s.on(s.nameParts)},
		{"GET", "/marks/:id/lit.png", viewer, none, s.on(s.lit)},
		{"GET", "/marks/:id/at", viewer, none, s.on(s.at)},
		{"GET", "/marks/:id/mend.png", viewer, none, s.on(s.mendPicture)},
		{"GET", "/compose", viewer, none, s.on(s.composing)},
		{"POST", "/compose", designer, form, s.on(s.takeComposed)},
		{"GET", "/compose.png", viewer, none, s.on(s.composedPicture)},
		{"GET", "/typed", viewer, none, s.on(s.typing)},
		{"POST", "/typed", designer, form, s.on(s.takeTyped)},
		{"GET", "/typed.png", viewer, none, s.on(s.typedPicture)},
		{"GET", "/marks/:id/typed", viewer, none, s.on(s.retyping)},
		{"POST", "/marks/:id/typed", designer, form, s.on(s.takeTyped)},
		{"POST", "/marks/:id/year", designer, form, s.on(s.renewYear)},
		{"GET", "/marks/:id/trace", viewer, none, s.on(s.tracing)},
		{"POST", "/marks/:id/trace", designer, form, s.on(s.keepTracing)},
		{"GET", "/marks/:id/trace.png", viewer, none, s.on(s.tracingPicture)},
		{"GET", "/marks/:id/words.png", viewer, none, s.on(s.wordsPicture)},
		{"POST", "/marks/:id/font", designer, maxUpload, s.on(s.addFont)},
		{"POST", "/marks/:id/mend", designer, form, s.on(s.mend)},
		{"GET", "/marks/:id/whole.png", viewer, none, s.on(s.whole)},
	}
}

// inkRoutes are of inks and presses.
func (s *Server) inkRoutes() []Route {
	return []Route{
		{"GET", "/marks/:id/inks", viewer, none, s.on(s.station("inks"))},
		{"POST", "/marks/:id/ink", designer, form, s.on(s.setInk)},
		{"POST", "/marks/:id/inks-list", designer, palette.MaxBytes + envelope, s.on(s.takeInks)},
		{"GET", "/marks/:id/list/:name", viewer, none, s.on(s.inkList)},
		{"POST", "/marks/:id/ink-undo", designer, form, s.on(s.undoInks)},
		{"POST", "/marks/:id/press", designer, icc.MaxBytes + envelope, s.on(s.choosePress)},
		{"GET", "/marks/:id/tone/:n", viewer, none, s.on(s.tone)},
	}
}

// versionRoutes are of versions: the set, frames, finish, drawings.
func (s *Server) versionRoutes() []Route {
	return []Route{
		{"GET", "/marks/:id/versions", viewer, none, s.on(s.station("versions"))},
		{"GET", "/marks/:id/frame", viewer, none, s.on(s.station("frame"))},
		{"POST", "/marks/:id/frame", designer, form, s.on(s.setFrame(true))},
		{"POST", "/marks/:id/frame-try", viewer, form, s.on(s.setFrame(false))},
		{"GET", "/marks/:id/frame.png", viewer, none, s.on(s.framePicture)},
		{"GET", "/marks/:id/arrange", viewer, none, s.on(s.station("arrange"))},
		{"POST", "/marks/:id/arrange", designer, form, s.on(s.arrange)},
		{"GET", "/marks/:id/part.png", viewer, none, s.on(s.partPicture)},
		{"POST", "/marks/:id/lockup", designer, form, s.on(s.lockups)},
		{"GET", "/marks/:id/lockup.png", viewer, none, s.on(s.lockupPicture)},
		{"GET", "/marks/:id/lockup-boxes", viewer, none, s.on(s.lockupBoxes)},
		{"POST", "/marks/:id/version", designer, form, s.on(s.versions)},
		{"GET", "/marks/:id/wall", viewer, none, s.on(s.station("wall"))},
		{"POST", "/marks/:id/cell", designer, form, s.on(s.setCell)},
		{"POST", "/marks/:id/drawing", designer, maxUpload, s.on(s.drawCell)},
		{"GET", "/marks/:id/over/:version", viewer, none, s.on(s.over)},
		{"GET", "/marks/:id/sort", viewer, none, s.on(s.sorting)},
		{"POST", "/marks/:id/sort", designer, maxUpload, s.on(s.sort)},
		{"POST", "/marks/:id/sorted", designer, form, s.on(s.sorted)},
		{"GET", "/marks/:id/loose.png", viewer, none, s.on(s.loosePicture)},
		{"POST", "/marks/:id/on-picture", designer, version.MaxGround + envelope, s.on(s.onPicture)},
		{"GET", "/marks/:id/need/:name", viewer, none, s.on(s.need)},
		{"POST", "/marks/:id/reading", designer, form, s.on(s.reading)},
		{"GET", "/marks/:id/cell/:version/:ground", viewer, none, s.on(s.cell)},
		{"GET", "/marks/:id/light/:version/:n", viewer, none, s.on(s.light)},
		{"GET", "/marks/:id/finish", viewer, none, s.on(s.finish)},
		{"POST", "/marks/:id/finish", designer, form, s.on(s.keepFinish)},
		{"GET", "/marks/:id/finish.png", viewer, none, s.on(s.finishPicture)},
	}
}

// fileRoutes are of recipes and what is planned.
func (s *Server) fileRoutes() []Route {
	return []Route{
		{"GET", "/marks/:id/files", viewer, none, s.on(s.station("files"))},
		{"POST", "/marks/:id/recipe", designer, form, s.on(s.chooseRecipe)},
		{"POST", "/marks/:id/effects", designer, form, s.on(s.setEffects)},
		{"POST", "/marks/:id/uses", designer, form, s.on(s.changeUses)},
		{"POST", "/marks/:id/recipe-table", designer, form, s.on(s.editRecipe(true))},
		{"POST", "/marks/:id/recipe-try", viewer, form, s.on(s.editRecipe(false))},
		{"POST", "/marks/:id/recipe-file", designer, recipe.MaxBytes + envelope, s.on(s.takeRecipe)},
		{"GET", "/marks/:id/recipe.json", viewer, none, s.on(s.recipeFile)},
	}
}

// proofRoutes are of proofs.
func (s *Server) proofRoutes() []Route {
	return []Route{
		{"GET", "/marks/:id/proof", viewer, none, s.on(s.station("proof"))},
		{"GET", "/marks/:id/proof.png", viewer, none, s.on(s.proofPicture)},
		{"GET", "/marks/:id/proof/:what", viewer, none, s.on(s.proofLook)},
	}
}

// kitRoutes are of kits and their builds.
func (s *Server) kitRoutes() []Route {
	return []Route{
		{"GET", "/marks/:id/kit", viewer, none, s.on(s.station("kit"))},
		{"POST", "/marks/:id/build", designer, form, s.on(s.build)},
		{"GET", "/marks/:id/weight", viewer, none, s.on(s.weight)},
		{"POST", "/build-stale", designer, form, s.on(s.buildStale)},
		{"GET", "/held/:id", viewer, none, s.on(s.heldFile)},
		{"POST", "/held/:id/drop", designer, form, s.on(s.dropHeld)},
		{"GET", "/marks/:id/kits", viewer, none, s.on(s.compareKits)},
		{"POST", "/jobs/:id/cancel", designer, form, s.on(s.cancelJob)},
		{"GET", "/jobs/:id/events", viewer, none, s.on(s.jobEvents)},
		{"GET", "/kits/:id/zip", viewer, none, s.on(s.kitZip)},
		{"GET", "/kits/:id/case", viewer, none, s.on(s.kitCase)},
		{"GET", "/kits/:id/file/*path", viewer, none, s.on(s.kitFile)},
		{"GET", "/marks/:id/working.svg", viewer, none, s.on(s.working)},
		{"GET", "/kits/:id/made", viewer, none, s.on(s.kitMade)},
		{"POST", "/kits/:id/made", designer, form, s.on(s.wantMade)},
		{"POST", "/kits/:id/words", designer, form, s.on(s.setWording)},
		{"GET", "/kits/:id/look/*path", viewer, none, s.on(s.kitLook)},
	}
}

// deliveryRoutes are of what is handed over, and what its clients see.
func (s *Server) deliveryRoutes() []Route {
	return []Route{
		{"GET", "/marks/:id/hand", viewer, none, s.on(s.markHand)},
		{"GET", "/kits/:id/page", viewer, none, s.on(s.kitPageLook)},
		{"GET", "/kits/:id/picture/:name", viewer, none, s.on(s.kitPicture)},
		{"GET", "/kits/:id/hand", viewer, none, s.on(s.hand)},
		{"POST", "/kits/:id/hand", designer, form, s.on(s.handOver)},
		{"POST", "/hands/:id/withdraw", designer, form, s.on(s.withdraw)},
		{"POST", "/hands/:id/mail", designer, form, s.on(s.sendLink)},
		{"POST", "/hands/:id/mail/:mail/again", designer, form, s.on(s.sendAgain)},
		{"GET", "/outbox", owner, none, s.on(s.outbox)},
		{"POST", "/hands/:id/link", designer, form, s.on(s.newLink)},
		{"GET", "/hands/:id/log.csv", viewer, none, s.on(s.handLog)},
		{"POST", "/questions/:id/answer", designer, form, s.on(s.answer)},
		{"GET", "/k/:token", byLink, none, s.linked(s.clientPage)},
		{"POST", "/k/:token/pass", byLink, form, s.unlock},
		{"GET", "/k/:token/portrait", byLink, none, s.linked(s.clientPortrait)},
		{"POST", "/k/:token/received", byLink, form, s.linked(s.clientReceived)},
		{"POST", "/k/:token/question", byLink, form, s.linked(s.clientQuestion)},
		{"POST", "/k/:token/kit/:n/right", byLink, resemble.MaxBytes + envelope, s.linked(s.clientRight)},
		{"GET", "/k/:token/kit/:n", byLink, none, s.linked(s.clientPage)},
		{"GET", "/k/:token/kit/:n/file/*path", byLink, none, s.linked(s.clientFile)},
		{"GET", "/k/:token/kit/:n/picture/:name", byLink, none, s.linked(s.clientPicture)},
		{"GET", "/k/:token/kit/:n/zip", byLink, none, s.linked(s.clientZip)},
		{"GET", "/k/:token/kit/:n/made", byLink, none, s.linked(s.clientMade)},
		{"GET", "/f/:address/latest/:name", byLink, none, s.latest},
		{"GET", "/f/:address/:hash/:name", byLink, none, s.twin},
	}
}

// boardRoutes are of candidates and boards.
func (s *Server) boardRoutes() []Route {
	return []Route{
		{"POST", "/marks/:id/candidates", designer, form, s.on(s.spread)},
		{"POST", "/candidates", designer, maxUpload, s.on(s.takeCandidates)},
		{"POST", "/candidates/:id", designer, form, s.on(s.candidate)},
		{"GET", "/candidates/:id/picture", viewer, none, s.on(s.candidatePicture)},
		{"GET", "/clients/:id/candidates", viewer, none, s.on(s.candidates)},
		{"GET", "/clients/:id/board", viewer, none, s.on(s.board)},
		{"GET", "/clients/:id/board.pdf", viewer, none, s.on(s.boardFile("pdf"))},
		{"GET", "/clients/:id/board.png", viewer, none, s.on(s.boardFile("png"))},
		{"GET", "/clients/:id/board.jpg", viewer, none, s.on(s.boardFile("jpg"))},
		{"POST", "/clients/:id/board", designer, form, s.on(s.newReview)},
		{"GET", "/r/:token", byLink, none, s.reviewed(s.review)},
		{"POST", "/r/:token", byLink, form, s.reviewed(s.answerReview)},
		{"GET", "/r/:token/picture/:n", byLink, none, s.reviewed(s.reviewPicture)},
	}
}

// sheetRoutes are of brand sheets.
func (s *Server) sheetRoutes() []Route {
	return []Route{
		{"GET", "/marks/:id/sheet", viewer, none, s.on(s.sheet)},
		{"POST", "/marks/:id/sheet", designer, form, s.on(s.keepSheet)},
		{"GET", "/marks/:id/sheet/page/:n", viewer, none, s.on(s.sheetPicture)},
		{"GET", "/marks/:id/sheet.pdf", viewer, none, s.on(s.sheetFile)},
	}
}

// photoRoutes are of photographs.
func (s *Server) photoRoutes() []Route {
	return []Route{
		{"GET", "/marks/:id/photos", viewer, none, s.on(s.photos)},
		{"POST", "/marks/:id/photos", designer, maxPhotos, s.on(s.addPhotos)},
		{"POST", "/marks/:id/photos/do", designer, form, s.on(s.actPhotos)},
		{"GET", "/marks/:id/photos/zip", viewer, none, s.on(s.photosZip)},
		{"GET", "/marks/:id/photos/try/:n", viewer, none, s.on(s.photoTried)},
		{"GET", "/marks/:id/photos/file/:n", viewer, none, s.on(s.photoFile)},
	}
}

// peopleRoutes are of who works here, and how they sign in.
func (s *Server) peopleRoutes() []Route {
	return []Route{
		{"GET", "/house", viewer, none, s.on(s.house)},
		{"POST", "/house", owner, maxHousePicture + envelope, s.on(s.setHouse)},
		{"GET", "/house/portrait", viewer, none, s.on(s.housePortrait)},
		{"GET", "/signin", everybody, none, s.on(s.signInPage)},
		{"POST", "/signin", everybody, form, s.on(s.signIn)},
		{"POST", "/signin/passkey/ask", everybody, form, s.on(s.askKey)},
		{"POST", "/signin/passkey", everybody, form, s.on(s.signInByKey)},
		{"POST", "/passkeys/ask", oneself, form, s.proven("/account", s.askNewKey)},
		{"POST", "/passkeys", oneself, form, s.proven("/account", s.keepNewKey)},
		{"POST", "/passkeys/:id/leave", oneself, form, s.proven("/account", s.dropKey)},
		{"GET", "/prove", oneself, none, s.on(s.provingPage)},
		{"POST", "/prove", oneself, form, s.on(s.prove)},
		{"POST", "/prove/passkey", oneself, form, s.on(s.proveByKey)},
		{"POST", "/signout", oneself, form, s.on(s.signOut)},
		{"GET", "/join/:token", everybody, none, s.on(s.joinPage)},
		{"POST", "/join/:token", everybody, form, s.on(s.join)},
		{"GET", "/forgot", everybody, none, s.on(s.forgotPage)},
		{"POST", "/forgot", everybody, form, s.on(s.forgot)},
		{"GET", "/account", oneself, none, s.on(s.account)},
		{"POST", "/account", oneself, form, s.on(s.setPassword)},
		{"POST", "/account/leave", oneself, form, s.on(s.leaveEverywhere)},
		{"GET", "/people", owner, none, s.on(s.people)},
		{"POST", "/people", owner, form, s.proven("/people", s.invite)},
		{"POST", "/people/:id", owner, form, s.on(s.setRole)},
		{"POST", "/people/:id/leave", owner, form, s.on(s.dismiss)},
		{"POST", "/invitations/leave", owner, form, s.on(s.uninvite)},
	}
}

// scriptRoutes are of scripts and hooks.
func (s *Server) scriptRoutes() []Route {
	return []Route{
		{"GET", "/scripts", owner, none, s.on(s.scripts)},
		{"POST", "/scripts", owner, form, s.proven("/scripts", s.newScript)},
		{"POST", "/scripts/:id/leave", owner, form, s.on(s.dropScript)},
		{"POST", "/hooks", owner, form, s.on(s.newHook)},
		{"POST", "/hooks/:id/leave", owner, form, s.on(s.dropHook)},
	}
}
