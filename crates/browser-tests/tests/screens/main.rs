//! The journeys people make, in a real browser. One program for all of them: it is linked once, and what it keeps
//! busy is the machine rather than the last test of a file.

mod arrival;
mod booking;
mod catalogue;
mod claims;
mod day_view;
mod denials;
mod discreet;
mod doors;
mod drafts;
mod first_views;
mod hands;
mod journey;
mod keys;
mod letters;
mod orders;
mod orders_again;
mod pages;
mod patient_money;
mod prescribing;
mod presses;
mod quick_line;
mod registration;
mod results;
mod schedule;
mod sheet;
mod supply;
mod taking_back;
mod texts;
