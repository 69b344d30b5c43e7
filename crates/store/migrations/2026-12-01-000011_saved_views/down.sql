drop table saved_views;
