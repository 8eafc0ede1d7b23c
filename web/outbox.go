package web

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"dyekit/studio"
	"dyekit/studio/post"
)

// outbox shows the mails of the demo, which go nowhere.
func (s *Server) outbox(c *gin.Context) error {
	if s.Outbox == nil {
		return studio.ErrNotFound
	}
	var all []post.Read
	for _, m := range s.Outbox.Caught() {
		r, err := m.Read()
		if err != nil {
			return err
		}
		all = append(all, r)
	}
	s.render(c, http.StatusOK, "outbox", all)
	return nil
}
