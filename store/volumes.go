package store

// A Volume is a folder, on any disk, below which finished files lie, or a bucket in a store of objects.
type Volume struct {
	Code   string // "" for the data folder's own
	Name   string
	Folder string // absolute
	Mark   string // what stands in the file by which the volume is known again
	Bucket string // its address, "" for a folder; Folder has what is under way, and copies
	Copies int64  // of its files on this machine, in bytes, at most
	Sent   bool   // nodes send its files, whatever folders they share
}

// Volumes returns the volumes that the server's configuration names, in the order of their codes.
func (s *Store) Volumes() ([]Volume, error) {
	rows, err := s.read.Query("SELECT code, name, folder, mark, bucket, copies, sent FROM volume ORDER BY code")
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var all []Volume
	for rows.Next() {
		var v Volume
		if err := rows.Scan(&v.Code, &v.Name, &v.Folder, &v.Mark, &v.Bucket, &v.Copies, &v.Sent); err != nil {
			return nil, err
		}
		all = append(all, v)
	}
	return all, rows.Err()
}

// SetVolumes notes which volumes there are, instead of those that there were.
func (s *Store) SetVolumes(all []Volume) error {
	return s.change(func(tx *writing) error {
		if _, err := tx.Exec("DELETE FROM volume"); err != nil {
			return err
		}
		for _, v := range all {
			_, err := tx.Exec("INSERT INTO volume (code, name, folder, mark, bucket, copies, sent) "+
				"VALUES (?, ?, ?, ?, ?, ?, ?)", v.Code, v.Name, v.Folder, v.Mark, v.Bucket, v.Copies, v.Sent)
			if err != nil {
				return err
			}
		}
		return nil
	})
}

// UsedVolumes returns the codes of volumes that batches have files on, but for the data folder's own.
func (s *Store) UsedVolumes() ([]string, error) {
	return column[string](s.read, "SELECT DISTINCT volume FROM batch WHERE volume <> '' ORDER BY volume")
}

// BatchesOn returns the numbers of batches whose files are written to a volume and that have frames left to render.
func (s *Store) BatchesOn(volume string) ([]int64, error) {
	return column[int64](s.read, `SELECT id FROM batch b WHERE volume = ?
		AND EXISTS (SELECT 1 FROM sequence WHERE batch_id = b.id AND ready + blocked > 0)`, volume)
}
