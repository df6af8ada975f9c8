-- What is in use of licences, and of a node, is asked for each task that is handed out.
-- +goose Up
CREATE INDEX lease_needs ON lease (needs);
CREATE INDEX lease_node ON lease (node);

-- +goose Down
DROP INDEX lease_node;
DROP INDEX lease_needs;
