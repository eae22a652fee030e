-- +goose Up
-- A borrowed tune is a row of the borrower's, so that practice, notes and recordings belong to it; its text and settings are read through
-- the loan. lender is the name of whose tune it is, '' for the owner's own; lent_id is that tune, so that lending it again finds the row.
ALTER TABLE tunes ADD COLUMN IF NOT EXISTS loan_id UUID NULL, ADD COLUMN IF NOT EXISTS lent_id UUID NULL, ADD COLUMN IF NOT EXISTS lender VARCHAR(60) NOT NULL DEFAULT '', ADD KEY IF NOT EXISTS by_loan (loan_id), ADD KEY IF NOT EXISTS by_lent (owner_id, lent_id);
