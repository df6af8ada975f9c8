package kit

import (
	"errors"
	"fmt"
	"mime/multipart"
	"net/http"

	"github.com/labstack/echo/v5"
)

// Uploaded returns the file of a form, with its name; the error says what to do instead.
func Uploaded(c *echo.Context, choose string) (multipart.File, string, error) {
	header, err := c.FormFile("file")
	if errors.Is(err, http.ErrMissingFile) {
		return nil, "", fmt.Errorf("no file was chosen; %s", choose)
	}
	if err == nil {
		var file multipart.File
		if file, err = header.Open(); err == nil {
			return file, header.Filename, nil
		}
	}
	return nil, "", fmt.Errorf("the file did not arrive whole; try again")
}
