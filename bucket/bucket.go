// Package bucket keeps files in a store of objects that speaks the API of S3, as several makers' do. Nothing in it is
// overwritten. What is read again is kept as a copy on this machine, within a bound.
package bucket

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net"
	"net/url"
	"os"
	"path"
	"strconv"
	"strings"
	"time"

	"github.com/aws/aws-sdk-go-v2/aws"
	"github.com/aws/aws-sdk-go-v2/aws/retry"
	"github.com/aws/aws-sdk-go-v2/config"
	"github.com/aws/aws-sdk-go-v2/service/s3"
	"github.com/aws/smithy-go"
	"github.com/aws/smithy-go/logging"
	"gocloud.dev/blob"
	"gocloud.dev/blob/s3blob"
	"gocloud.dev/gcerrors"
)

// A Bucket is a store of objects, or that part of one whose names begin with a prefix. Names are paths with slashes.
type Bucket struct {
	blob   *blob.Bucket
	copies copies
}

// A File is an object. It is a fs.FileInfo.
type File struct {
	Path    string // in the bucket
	Bytes   int64
	Time    time.Time
	SHA256  string // that it was put there with, "" if it was not put there by Put
	version string // which changes with its contents
}

// Name implements fs.FileInfo, as the methods below do.
func (f File) Name() string       { return path.Base(f.Path) }
func (f File) Size() int64        { return f.Bytes }
func (f File) Mode() fs.FileMode  { return 0o644 }
func (f File) ModTime() time.Time { return f.Time }
func (f File) IsDir() bool        { return false }
func (f File) Sys() any           { return nil }

// An AwayError says that a store does not answer, or lets nobody in.
type AwayError struct{ reason string }

func (e *AwayError) Error() string { return e.reason }

const (
	scheme = "s3"
	// oneAnswer is how long a store may take for a small answer, and silence how long it may say nothing during a
	// large one.
	oneAnswer = 10 * time.Second
	silence   = 2 * time.Minute
	// longestRest is how long it rests at most before a store that has failed is asked again, which is done twice.
	longestRest = time.Second
	sumKey      = "sha256" // of the metadata
)

// Open opens a bucket by its address: s3://NAME, and after ? as far as they are needed region, endpoint (the URL of a
// store of another maker), use_path_style=true (where the bucket's name is no part of the host's) and prefix (that
// names of objects begin with, ending with a slash). Who it is for the store is found in the environment, as
// AWS_ACCESS_KEY_ID and AWS_SECRET_ACCESS_KEY, or in the files of the AWS command line. It does not connect yet. Copies
// of what is read are kept below a folder: no more than so many bytes, and fewer when its disk has little room, but for
// those of the last hour. free says how many bytes are free there, negative for not known.
func Open(address, folder string, most int64, free func(folder string) float64) (*Bucket, error) {
	a, err := parse(address)
	if err != nil {
		return nil, err
	}
	ctx := context.Background()
	c, err := config.LoadDefaultConfig(ctx, config.WithLogger(logging.Nop{}), config.WithRetryer(func() aws.Retryer {
		return retry.AddWithMaxBackoffDelay(retry.NewStandard(), longestRest)
	}))
	if err != nil {
		return nil, fmt.Errorf("who this is for the store of %s is not known: %w", address, err)
	}
	client := s3.NewFromConfig(c, func(o *s3.Options) {
		o.UsePathStyle = a.pathStyle
		// What has turned over a bit is to be read, and told from what cannot be read: whoever reads holds it against
		// its SHA-256.
		o.ResponseChecksumValidation = aws.ResponseChecksumValidationWhenRequired
		if a.region != "" {
			o.Region = a.region
		}
		if a.endpoint != "" {
			o.BaseEndpoint = &a.endpoint
		}
	})
	b, err := s3blob.OpenBucket(ctx, client, a.name, nil)
	if err != nil {
		return nil, fmt.Errorf("%s is no bucket: %w", address, err)
	}
	if a.prefix != "" {
		b = blob.PrefixedBucket(b, a.prefix)
	}
	return &Bucket{blob: b, copies: copies{folder: folder, most: most, free: free}}, nil
}

// An address is that of a bucket, in its parts.
type address struct {
	name, region, endpoint, prefix string
	pathStyle                      bool
}

func parse(text string) (a address, err error) {
	u, err := url.Parse(text)
	if err != nil || u.Scheme != scheme || u.Host == "" || u.User != nil || strings.Trim(u.Path, "/") != "" {
		return a, fmt.Errorf("its bucket %q is not written as s3://NAME?region=…&endpoint=…", text)
	}
	a.name = u.Host
	for key, values := range u.Query() {
		switch value := values[0]; key {
		case "region":
			a.region = value
		case "endpoint":
			if e, err := url.Parse(value); err != nil || e.Host == "" || e.Scheme != "http" && e.Scheme != "https" {
				return a, fmt.Errorf("the endpoint of its bucket, %q, is no URL such as https://HOST:PORT", value)
			}
			a.endpoint = value
		case "use_path_style":
			if a.pathStyle, err = strconv.ParseBool(value); err != nil {
				return a, fmt.Errorf("use_path_style of its bucket is true or false, not %q", value)
			}
		case "prefix":
			if a.prefix = value; !strings.HasSuffix(value, "/") || strings.HasPrefix(value, "/") {
				return a, fmt.Errorf("the prefix of its bucket, %q, ends with no slash, or begins with one", value)
			}
		default:
			return a, fmt.Errorf("its bucket has a setting %q that is not known; known are region, endpoint, "+
				"use_path_style and prefix", key)
		}
	}
	return a, nil
}

// Check says why an address cannot be that of a bucket.
func Check(address string) error {
	_, err := parse(address)
	return err
}

// Close ends the connections to the store.
func (b *Bucket) Close() error { return b.blob.Close() }

// Stat returns what a name is. The error wraps fs.ErrNotExist if there is nothing.
func (b *Bucket) Stat(name string) (File, error) {
	ctx, cancel := context.WithTimeout(context.Background(), oneAnswer)
	defer cancel()
	a, err := b.blob.Attributes(ctx, name)
	if err != nil {
		return File{}, plain(name, err)
	}
	return File{name, a.Size, a.ModTime, a.Metadata[sumKey], a.ETag}, nil
}

// Put puts a file from this machine into the bucket, whose SHA-256 is known. If something has its name already, that
// stays, and the error wraps fs.ErrExist. The copy stays on this machine, under another name.
func (b *Bucket) Put(name, from, sum string) error {
	f, err := os.Open(from)
	if err != nil {
		return err
	}
	defer f.Close()
	// Not every store holds large files back, which are put there in pieces, when one of their name has come meanwhile.
	if _, err := b.Stat(name); err == nil {
		return fmt.Errorf("%s: %w", name, fs.ErrExist)
	} else if !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	ctx, cancel := context.WithCancel(context.Background())
	defer cancel()
	w, err := b.blob.NewWriter(ctx, name, &blob.WriterOptions{
		IfNotExist: true, ContentType: "application/octet-stream", Metadata: map[string]string{sumKey: sum},
	})
	if err != nil {
		return plain(name, err)
	}
	is := sha256.New()
	_, err = io.Copy(io.MultiWriter(is, w), patient(f, cancel))
	if err == nil && hex.EncodeToString(is.Sum(nil)) != sum {
		err = fmt.Errorf("%s has changed while it was put into its bucket", from)
	}
	if err != nil {
		cancel() // or Close would put there what has come so far
		return errors.Join(plain(name, err), ignore(w.Close()))
	}
	within := time.AfterFunc(silence, cancel)
	defer within.Stop()
	if err := w.Close(); err != nil {
		return plain(name, err)
	}
	there, err := b.Stat(name)
	if err != nil {
		return err
	}
	if there.SHA256 != sum {
		return fmt.Errorf("%s: somebody else has put it there meanwhile: %w", name, fs.ErrExist)
	}
	b.copies.take(there, from)
	return nil
}

func ignore(error) error { return nil }

// PutMark puts a few bytes under a name that nothing has. A store that would overwrite is refused.
func (b *Bucket) PutMark(name, text string) error {
	ctx, cancel := context.WithTimeout(context.Background(), oneAnswer)
	defer cancel()
	put := func() error {
		return b.blob.WriteAll(ctx, name, []byte(text), &blob.WriterOptions{IfNotExist: true})
	}
	if err := put(); err != nil {
		return plain(name, err)
	}
	switch err := plain(name, put()); {
	case err == nil:
		return errors.Join(errors.New("this store overwrites what it has although it is told not to (If-None-Match): "+
			"files would not be safe in it"), plain(name, b.blob.Delete(ctx, name)))
	case !errors.Is(err, fs.ErrExist):
		return err
	}
	return nil
}

// Read returns what a name has, from the store itself.
func (b *Bucket) Read(name string) (io.ReadCloser, error) {
	ctx, cancel := context.WithCancel(context.Background())
	within := time.AfterFunc(oneAnswer, cancel)
	r, err := b.blob.NewReader(ctx, name, nil)
	within.Stop()
	if err != nil {
		cancel()
		return nil, plain(name, err)
	}
	return &reading{name, patient(r, cancel), r, cancel}, nil
}

type reading struct {
	name string
	io.Reader
	r      io.Closer
	cancel context.CancelFunc
}

func (r *reading) Read(p []byte) (int, error) {
	n, err := r.Reader.Read(p)
	if err != nil && err != io.EOF {
		err = plain(r.name, err)
	}
	return n, err
}

func (r *reading) Close() error {
	defer r.cancel()
	return r.r.Close()
}

// patient reads, and cancels when nothing has come for too long between two reads.
func patient(from io.Reader, cancel context.CancelFunc) io.Reader {
	within := time.AfterFunc(silence, cancel)
	return readerFunc(func(p []byte) (int, error) {
		within.Reset(silence)
		n, err := from.Read(p)
		if err != nil {
			within.Stop()
		}
		return n, err
	})
}

type readerFunc func(p []byte) (int, error)

func (f readerFunc) Read(p []byte) (int, error) { return f(p) }

// Copy returns where a copy of a file lies on this machine, which is fetched if there is none. It stays for an hour at
// least.
func (b *Bucket) Copy(name string) (string, error) {
	there, err := b.Stat(name)
	if err != nil {
		return "", err
	}
	return b.copies.of(there, func() (io.ReadCloser, error) { return b.Read(name) })
}

// Move gives an object another name, which nothing may have.
func (b *Bucket) Move(from, to string) error {
	if _, err := b.Stat(to); err == nil {
		return fmt.Errorf("%s: %w", to, fs.ErrExist)
	} else if !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	ctx, cancel := context.WithTimeout(context.Background(), silence)
	defer cancel()
	if err := b.blob.Copy(ctx, to, from, nil); err != nil {
		return plain(from, err)
	}
	return plain(from, b.blob.Delete(ctx, from))
}

// Remove removes an object.
func (b *Bucket) Remove(name string) error {
	ctx, cancel := context.WithTimeout(context.Background(), oneAnswer)
	defer cancel()
	return plain(name, b.blob.Delete(ctx, name))
}

// Walk calls each for all objects whose names begin with a prefix, in the order of their names. They have no SHA256.
func (b *Bucket) Walk(ctx context.Context, prefix string, each func(File) error) error {
	for token := blob.FirstPageToken; len(token) > 0; {
		page, cancel := context.WithTimeout(ctx, oneAnswer)
		all, next, err := b.blob.ListPage(page, token, onePage, &blob.ListOptions{Prefix: prefix})
		cancel()
		if err != nil {
			return plain(prefix, err)
		}
		for _, o := range all {
			if err := each(File{Path: o.Key, Bytes: o.Size, Time: o.ModTime}); err != nil {
				return err
			}
		}
		token = next
	}
	return nil
}

// onePage is how many objects are asked for at once.
const onePage = 1000

// plain is an error of a store in few words.
func plain(name string, err error) error {
	var api smithy.APIError
	var line *net.OpError
	switch {
	case err == nil:
		return nil
	case gcerrors.Code(err) == gcerrors.NotFound && !strings.Contains(err.Error(), "NoSuchBucket"):
		return fmt.Errorf("%s: %w", name, fs.ErrNotExist)
	case gcerrors.Code(err) == gcerrors.FailedPrecondition:
		return fmt.Errorf("%s: %w", name, fs.ErrExist)
	case errors.As(err, &api):
		said := api.ErrorCode()
		if m := api.ErrorMessage(); m != "" && m != said {
			said += ", " + m
		}
		return &AwayError{"its store says: " + said}
	case errors.As(err, &line):
		return &AwayError{"its store cannot be reached: " + line.Err.Error()}
	case errors.Is(err, context.Canceled), errors.Is(err, context.DeadlineExceeded):
		return &AwayError{"its store does not answer"}
	case gcerrors.Code(err) != gcerrors.Unknown || strings.Contains(err.Error(), "S3"):
		return &AwayError{"its store cannot be used: " + err.Error()}
	}
	return err
}
