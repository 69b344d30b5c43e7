-- The way in, where the form of a product allows several.
alter table prescriptions add column route text not null default '';
