-- Rings have become one kind of rig.
-- +goose Up
UPDATE revision SET document = json_remove(json_set(document, '$.rigs', json(
    (SELECT json_group_array(json_set(value, '$.kind', 'ring')) FROM json_each(document, '$.rings')))), '$.rings')
WHERE json_type(document, '$.rings') = 'array';
UPDATE revision SET document = json_set(document, '$.views', json(
    (SELECT json_group_array(CASE WHEN json_type(value, '$.ring') = 'text'
        THEN json_remove(json_set(value, '$.rig', value ->> '$.ring'), '$.ring') ELSE json(value) END) FROM json_each(document, '$.views'))))
WHERE json_type(document, '$.rigs') = 'array';

-- +goose Down
SELECT 1;
