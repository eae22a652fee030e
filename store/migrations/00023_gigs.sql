-- +goose Up
-- Days on which tunes are played to others are called gigs, here as on the pages.
RENAME TABLE IF EXISTS occasions TO gigs;
