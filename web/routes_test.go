package web

import "testing"

// A route says who may and how much is read; one that reads forgets neither.
func TestRoutesAreWhole(t *testing.T) {
	known := map[Who]bool{everybody: true, byLink: true, byToken: true, oneself: true, viewer: true, designer: true, owner: true}
	seen := map[string]bool{}
	for _, x := range Routes() {
		line := x.Method + " " + x.Path
		if seen[line] {
			t.Errorf("%s is there twice", line)
		}
		seen[line] = true
		if !known[x.Who] || x.answer == nil {
			t.Errorf("%s is for %q, and answered: %v", line, x.Who, x.answer != nil)
		}
		if (x.Method == "GET") != (x.Body == none) {
			t.Errorf("%s reads %d bytes", line, x.Body)
		}
	}
	if len(seen) < 180 {
		t.Errorf("there are only %d routes", len(seen))
	}
}

// everyRoute says of every route who may use it. A new route takes its line here.
var everyRoute = map[Who]string{
	everybody: `
		GET /api/v1/openapi.json
		GET /forgot
		GET /healthz
		GET /join/:token
		GET /signin
		GET /static/*file
		POST /forgot
		POST /join/:token
		POST /signin
		POST /signin/passkey
		POST /signin/passkey/ask
	`,
	byLink: `
		GET /k/:token
		GET /r/:token
		GET /r/:token/picture/:n
		POST /r/:token
		GET /k/:token/kit/:n
		GET /k/:token/kit/:n/file/*path
		GET /k/:token/kit/:n/picture/:name
		GET /k/:token/kit/:n/zip
		GET /k/:token/kit/:n/made
		GET /f/:address/latest/:name
		GET /f/:address/:hash/:name
		GET /k/:token/portrait
		POST /k/:token/pass
		POST /k/:token/question
		POST /k/:token/received
		POST /k/:token/kit/:n/right
	`,
	byToken: `
		DELETE /api/v1/hands/:id
		GET /api/v1/jobs/:id
		GET /api/v1/kits/:id
		GET /api/v1/kits/:id/ask
		GET /api/v1/kits/:id/made
		GET /api/v1/kits/:id/files/*path
		GET /api/v1/kits/:id/zip
		GET /api/v1/marks
		GET /api/v1/marks/:id
		POST /api/v1/kits/:id/hands
		POST /api/v1/marks
		POST /api/v1/marks/:id/builds
		POST /api/v1/marks/:id/master
		PUT /api/v1/marks/:id/recipe
		POST /api/v1/marks/:id/drawings
	`,
	oneself: `
		GET /prove
		POST /prove
		POST /prove/passkey
		POST /passkeys
		POST /passkeys/:id/leave
		POST /passkeys/ask
		GET /account
		POST /account
		POST /account/leave
		POST /signout
	`,
	viewer: `
		GET /marks/:id/photos
		GET /marks/:id/finish
		GET /marks/:id/finish.png
		GET /clients/:id/board
		GET /clients/:id/board.jpg
		GET /clients/:id/board.pdf
		GET /clients/:id/board.png
		GET /marks/:id/sheet
		GET /marks/:id/sheet.pdf
		GET /marks/:id/sheet/page/:n
		GET /marks/:id/working.svg
		GET /marks/:id/photos/file/:n
		GET /marks/:id/photos/try/:n
		GET /marks/:id/photos/zip
		GET /
		GET /candidates/:id/picture
		GET /clients/:id/candidates
		GET /compose
		GET /compose.png
		GET /hands/:id/log.csv
		GET /held/:id
		GET /house
		GET /house/portrait
		GET /jobs/:id/events
		GET /kits/:id/case
		GET /kits/:id/file/*path
		GET /kits/:id/hand
		GET /kits/:id/made
		GET /kits/:id/look/*path
		GET /kits/:id/page
		GET /kits/:id/picture/:name
		GET /kits/:id/zip
		GET /marks/:id
		GET /marks/:id/at
		GET /marks/:id/cell/:version/:ground
		GET /marks/:id/compare
		GET /marks/:id/compare/:which
		GET /marks/:id/delete
		GET /marks/:id/files
		GET /marks/:id/frame
		GET /marks/:id/frame.png
		GET /marks/:id/hand
		GET /marks/:id/inks
		GET /marks/:id/kit
		GET /marks/:id/kits
		GET /marks/:id/light/:version/:n
		GET /marks/:id/list/:name
		GET /marks/:id/lit.png
		GET /marks/:id/arrange
		GET /marks/:id/sort
		GET /marks/:id/part.png
		GET /marks/:id/lockup-boxes
		GET /marks/:id/lockup.png
		GET /marks/:id/master
		GET /marks/:id/mend.png
		GET /marks/:id/need/:name
		GET /marks/:id/parts
		GET /marks/:id/proof
		GET /marks/:id/proof.png
		GET /marks/:id/proof/:what
		GET /marks/:id/recipe.json
		GET /marks/:id/tag.png
		GET /marks/:id/tone/:n
		GET /marks/:id/trace
		GET /marks/:id/trace.png
		GET /marks/:id/words.png
		GET /marks/:id/typed
		GET /marks/:id/loose.png
		GET /marks/:id/over/:version
		GET /marks/:id/versions
		GET /marks/:id/wall
		GET /marks/:id/weight
		GET /marks/:id/whole.png
		GET /new
		GET /typed
		GET /typed.png
		POST /marks/:id/frame-try
		POST /marks/:id/recipe-try
	`,
	designer: `
		POST /marks/:id/photos
		POST /marks/:id/finish
		POST /clients/:id/board
		POST /marks/:id/sheet
		POST /marks/:id/photos/do
		POST /build-stale
		POST /candidates
		POST /candidates/:id
		POST /clients/:id/away
		POST /compose
		POST /hands/:id/link
		POST /hands/:id/mail
		POST /hands/:id/mail/:mail/again
		POST /hands/:id/withdraw
		POST /held/:id/drop
		POST /jobs/:id/cancel
		POST /kits/:id/hand
		POST /kits/:id/made
		POST /kits/:id/words
		POST /marks
		POST /marks/:id/away
		POST /marks/:id/back
		POST /marks/:id/build
		POST /marks/:id/candidates
		POST /marks/:id/delete
		POST /marks/:id/cell
		POST /marks/:id/sort
		POST /marks/:id/sorted
		POST /marks/:id/drawing
		POST /marks/:id/effects
		POST /marks/:id/font
		POST /marks/:id/frame
		POST /marks/:id/ink
		POST /marks/:id/ink-undo
		POST /marks/:id/inks-list
		POST /marks/:id/arrange
		POST /marks/:id/lockup
		POST /marks/:id/master
		POST /marks/:id/master-back
		POST /marks/:id/mend
		POST /marks/:id/on-picture
		POST /marks/:id/parts
		POST /marks/:id/press
		POST /marks/:id/reading
		POST /marks/:id/recipe
		POST /marks/:id/recipe-file
		POST /marks/:id/recipe-table
		POST /marks/:id/redo
		POST /marks/:id/settle
		POST /marks/:id/trace
		POST /marks/:id/typed
		POST /marks/:id/undo
		POST /marks/:id/uses
		POST /marks/:id/version
		POST /marks/:id/who
		POST /marks/:id/year
		POST /questions/:id/answer
		POST /typed
	`,
	owner: `
		GET /outbox
		GET /people
		POST /house
		POST /invitations/leave
		GET /scripts
		POST /scripts
		POST /scripts/:id/leave
		POST /hooks
		POST /hooks/:id/leave
		POST /people
		POST /people/:id
		POST /people/:id/leave
	`,
}
