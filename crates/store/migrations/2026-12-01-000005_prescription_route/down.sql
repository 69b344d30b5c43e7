alter table prescriptions drop column route;
