-- Which columns of a list have the names of its people, by the writer's own word; null where they were not asked yet. [] is none.
ALTER TABLE lists ADD COLUMN name_columns jsonb;
